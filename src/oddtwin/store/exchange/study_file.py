"""The study file: one study as JSON with a published schema."""

from __future__ import annotations

from pydantic import ValidationError

from oddtwin.core.language import tr
from oddtwin.core.study import Study
from oddtwin.store.columns import first_fault
from oddtwin.store.errors import StoreError
from oddtwin.store.exchange.study_parts import StudyFile
from oddtwin.store.exchange.study_reading import study_of
from oddtwin.store.exchange.study_writing import file_of


def write_study(study: Study) -> str:
    """Write a study as JSON text that ``read_study`` reads back.

    Raises
    ------
    StoreError
        It holds what a study file cannot say; the sentence names it.
    """
    try:
        return file_of(study).model_dump_json(indent=2) + "\n"
    except ValidationError as error:
        raise StoreError(
            tr("The study cannot be written as a file: {first_fault}.", first_fault=first_fault(error))
        ) from None


def read_study(text: str, source: str) -> Study:
    """Read a study from JSON text.

    Parameters
    ----------
    text : str
        As ``write_study`` gives it.
    source : str
        Name of the file, for the message.

    Returns
    -------
    Study
        With ids of its own, from 1.

    Raises
    ------
    StoreError
        A sentence that says where and why the file cannot be read.
    """
    try:
        return study_of(StudyFile.model_validate_json(text))
    except ValidationError as error:
        raise StoreError(
            tr(
                "{source}, at {first_fault}. Nothing was imported.",
                source=source,
                first_fault=first_fault(error),
            )
        ) from None
    except (ValueError, RecursionError) as error:
        raise StoreError(tr("{source}: {error}. Nothing was imported.", source=source, error=error)) from None
