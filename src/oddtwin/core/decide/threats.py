"""What can make the conclusion wrong, and what to do about it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from oddtwin.core.effects import Comparison
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_list, format_number, with_unit
from oddtwin.core.readings import Block, PrintValue, ResponseKind
from oddtwin.core.threat import Threat, ThreatCode, Weight


def no_margin(responses: tuple[str, ...] = ()) -> Threat:
    """Return the threat of a missing margin: the same words in plan and verdict, so that they are told once.

    Parameters
    ----------
    responses : tuple of str
        That have none.
    """
    return Threat(
        ThreatCode.NO_MARGIN,
        tr("No margin is stated, so nothing can be called twin or enough to matter."),
        tr("State the smallest difference that would matter, before looking at the result."),
        responses=responses,
    )


def voiding(response: str, threats: Iterable[Threat]) -> Threat | None:
    """Return what the sentence of a response cannot stand beside, the gravest first.

    Parameters
    ----------
    response : str
        Its name.
    threats : iterable of Threat
        Of the whole study.
    """
    return next(
        (
            threat
            for threat in threats
            if threat.weight is Weight.VOIDS and (not threat.responses or response in threat.responses)
        ),
        None,
    )


def find_threats(comparison: Comparison, resolution: float | None = None) -> list[Threat]:
    """Look for threats in the prints of one comparison.

    Parameters
    ----------
    comparison : Comparison
        With its prints.
    resolution : float, optional
        Smallest step of the instrument, in the response's unit.

    Returns
    -------
    list of Threat
        Worst first.
    """
    found = [*_splits(comparison), *_lost(comparison), *_unnamed(comparison)]
    if comparison.kind is ResponseKind.WORD:
        return found
    # What is answered by yes or no, or counted, has no noise floor and no finer steps.
    if comparison.kind not in (ResponseKind.YES_NO, ResponseKind.COUNT):
        found += [*_noise(comparison), *_resolution(comparison, resolution)]
        # Grades are whole: that twins have the same one hides nothing.
        found += _scatter(comparison) if comparison.kind is not ResponseKind.GRADE else ()
    if comparison.measure.margin is None and not (comparison.measure.of_effects or comparison.of_failures):
        found.append(no_margin())
    return found


def _splits(comparison: Comparison) -> Iterable[Threat]:
    prints = comparison.prints
    for noun in ("machine", "piece", "spool", "day"):
        base, change = _levels(prints.baseline, noun), _levels(prints.change, noun)
        if base and change and not base & change:
            yield Threat(
                ThreatCode(f"split-{noun}"),
                tr(
                    "Every baseline print has {noun} {base}, every print of the change {change}: "
                    "{noun} and change cannot be told apart.",
                    noun=tr(noun),
                    base=format_list(sorted(base)),
                    change=format_list(sorted(change)),
                ),
                tr("Print at least one pair with both arms on the same {noun}.", noun=tr(noun)),
                cause=noun,
            )
        elif prints.paired and (torn := [b for b in prints.pairs if _torn(b, noun)]):
            yield Threat(
                ThreatCode(f"torn-{noun}"),
                tr(
                    "In {torn} of {pairs} pairs the two prints differ in {noun} too.",
                    torn=len(torn),
                    pairs=len(prints.pairs),
                    noun=tr(noun),
                ),
                tr("Keep the {noun} the same inside a pair.", noun=tr(noun)),
                cause=noun,
            )


def _levels(items: Sequence[PrintValue], attribute: str) -> set[str]:
    """What is recorded of an attribute such as the spool; prints without a record are passed over."""
    return {getattr(item, attribute) for item in items} - {""}


def _torn(block: Block, attribute: str) -> bool:
    base, change = _levels(block.baseline, attribute), _levels(block.change, attribute)
    return bool(base and change and base != change)


def _noise(comparison: Comparison) -> Iterable[Threat]:
    if comparison.noise is None:
        yield Threat(
            ThreatCode.NO_TWINS,
            tr(
                "No twins were printed, so there is no noise floor: nobody knows how much "
                "two prints differ when nothing was changed."
            ),
            tr("Print the baseline a second time in at least one pair."),
        )


def _lost(comparison: Comparison) -> Iterable[Threat]:
    prints = comparison.prints
    base, change = len(prints.baseline), len(prints.change)
    reasons = [
        text for text in (_counted(prints.set_aside, tr("set aside")), _unread(prints.missing)) if text
    ]
    single = sum(len(b.baseline) + len(b.change) for b in prints.blocks if not b.complete)
    if prints.pairs and single:
        reasons.append(tr("{single} {prints} without a partner", single=single, prints=_prints(single)))
    if not reasons and (prints.paired or base == change):
        return
    counts = tr(
        "{base} baseline and {change} change {prints} count", base=base, change=change, prints=_prints(change)
    )
    yield Threat(
        ThreatCode.LOST_RUNS,
        tr("Prints were lost or are unequal: {part}.", part="; ".join([counts, *reasons])),
        tr("Reprint what was lost; prints that fail more often with one arm are a result themselves."),
    )


def _unnamed(comparison: Comparison) -> Iterable[Threat]:
    unnamed = comparison.prints.unnamed
    if unnamed:
        yield Threat(
            ThreatCode.UNNAMED_PRINTS,
            tr(
                "{unnamed} {prints} without a name {part} a zone read several times, so "
                "several prints may have been taken for one.",
                unnamed=unnamed,
                prints=_prints(unnamed),
                part=trn("has", "have", unnamed),
            ),
            tr("Give every print a name in the column “run”."),
        )


def _counted(items: Sequence[PrintValue], what: str) -> str:
    return f"{len(items)} {what}" if items else ""


def _unread(items: Sequence[PrintValue]) -> str:
    return (
        tr("{items} {prints} without a reading", items=len(items), prints=_prints(len(items)))
        if items
        else ""
    )


def _prints(count: int) -> str:
    return trn("print", "prints", count)


def _scatter(comparison: Comparison) -> Iterable[Threat]:
    if "no scatter" in comparison.inference.method or (
        comparison.noise is not None and not comparison.noise.judges
    ):
        yield Threat(
            ThreatCode.NO_SCATTER,
            tr(
                "Repeated prints gave exactly the same figure, so their scatter is hidden by "
                "the steps of the instrument."
            ),
            tr("Measure with finer steps; until then a step of the readings stands in for scatter."),
        )


def _resolution(comparison: Comparison, resolution: float | None) -> Iterable[Threat]:
    margin = comparison.measure.margin
    if resolution is None or margin is None or resolution <= margin / 5 * (1 + 1e-9):
        return
    step, limit = (with_unit(format_number(value), comparison.unit) for value in (resolution, margin))
    yield Threat(
        ThreatCode.COARSE_INSTRUMENT,
        tr(
            "The instrument's step of {step} is coarser than a fifth of the margin of {limit}.",
            step=step,
            limit=limit,
        ),
        tr("Use a finer instrument, or weigh several pieces together and divide."),
    )
