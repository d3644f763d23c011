"""How much of a sliced file is printed above some flows."""

from __future__ import annotations

from collections.abc import Sequence

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.predicted import machine_limits
from oddtwin.core.study import Machine
from oddtwin.core.toolpath.sliced import analyse, reach
from oddtwin.store import LabBook
from oddtwin.work.sliced_files import kept_toolpath


def shares_above(
    book: LabBook, sha256: str, machine: Machine | None, flows: Sequence[float], job: Job = UNWATCHED
) -> list[float]:
    """Return the share of printing time of a kept file above each flow.

    Parameters
    ----------
    book : LabBook
        That keeps it.
    sha256 : str
        Hash of the file.
    machine : Machine, optional
        Whose limits hold; the usual ones without.
    flows : sequence of float
        In mm³/s.
    job : Job
        Told the share that is done; stops the work between blocks.

    Returns
    -------
    list of float
        0 to 1, in the order of the flows.

    Raises
    ------
    StoreError
        The file is gone, or was changed since.
    GcodeError
        It cannot be read.
    """
    sliced = analyse(kept_toolpath(book, sha256, job.part(0.0, 0.7)), machine_limits(machine), job=job)
    return [float(reach(sliced, flow).time_above_flow or 0.0) for flow in flows]
