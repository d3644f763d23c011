"""Taking an evidence pack into a lab book, once."""

from __future__ import annotations

from pathlib import Path

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr
from oddtwin.core.quantities import write_moment
from oddtwin.operations.whole_study import add_whole_study
from oddtwin.store import LabBook, Record, StoreError
from oddtwin.store.schema import STUDY
from oddtwin.work.packing import unpack_study
from oddtwin.work.verifying import verify_pack


def take_pack(book: LabBook, *, path: Path, job: Job = UNWATCHED) -> Record | None:
    """Check a pack, and add its study with its files.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    path : Path
        Of the pack.
    job : Job
        Told the share that is done; stops the work between files.

    Raises
    ------
    StoreError
        It is no pack, is not as it says, or its study is in the lab book already; nothing was added.
    CancelledError
        The job was cancelled; nothing was added.
    """
    found = verify_pack(path, job.part(0.0, 0.5))
    if not found.holds:
        more = (
            tr(" ({different} differences)", different=len(found.different))
            if len(found.different) > 1
            else ""
        )
        raise StoreError(
            tr(
                "{path} is not as it says. {sentence}{more}",
                path=path.name,
                sentence=found.different[0].sentence,
                more=more,
            )
        )
    study = unpack_study(path, book.keep, job.part(0.5, 0.8))
    with book.reading() as connection:
        query = STUDY.select().where(
            STUDY.c.created == write_moment(study.created), STUDY.c.name == study.name
        )
        # Begun at the same moment under the same name: it is the very same.
        if connection.execute(query).first() is not None:
            raise StoreError(tr("“{study}” is in the lab book already; nothing was added.", study=study.name))
    return add_whole_study(book, study=study, job=job.part(0.8, 1.0))
