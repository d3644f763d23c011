"""What every part of a study file is made of."""

from __future__ import annotations

from dataclasses import fields
from datetime import datetime
from typing import Annotated, Any, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from oddtwin.core.quantities import with_offset

# A thousand million of anything is a slip of the keys, and sums of such slips overflow.
Positive = Annotated[float, Field(ge=1e-12, le=1e12, allow_inf_nan=False)]
NotNegative = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]
Moment = Annotated[datetime, AfterValidator(with_offset)]
Name = Annotated[str, Field(min_length=1)]


P = TypeVar("P", bound=BaseModel)
T = TypeVar("T")


class Part(BaseModel):
    """A part that refuses what it does not know."""

    model_config = ConfigDict(extra="forbid")


def part_of(kind: type[P], value: Any, **given: Any) -> P:
    """Return the part of a value: every field of one name, and what is given besides.

    Parameters
    ----------
    kind : type
        Of the part.
    value : any
        With an attribute for each field that is not given.
    **given
        What the value tells otherwise: names in place of ids.
    """
    told = {name: getattr(value, name) for name in kind.model_fields if name not in given}
    plain = {name: list(item) if isinstance(item, tuple) else item for name, item in told.items()}
    return kind(**plain, **given)


def value_of_part(kind: type[T], part: BaseModel, **given: Any) -> T:
    """Return the value that a part tells: every field of one name, and what is given besides.

    Parameters
    ----------
    kind : type
        A dataclass of the core.
    part : BaseModel
        As it was read.
    **given
        What the part tells otherwise: ids in place of names.
    """
    named = type(part).model_fields
    told: dict[str, Any] = {
        field.name: getattr(part, field.name)
        for field in fields(kind)  # type: ignore[arg-type]
        if field.name in named and field.name not in given
    }
    # A file has lists where values have tuples: what is frozen must not hold what can be changed.
    plain = {name: tuple(item) if isinstance(item, list) else item for name, item in told.items()}
    return kind(**plain, **given)
