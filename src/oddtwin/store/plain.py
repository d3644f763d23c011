"""All tables of a lab book as plain CSV, for any program that reads tables."""

from __future__ import annotations

import csv
import sqlite3
from contextlib import closing
from pathlib import Path

from oddtwin.core.job import UNWATCHED, Job


def write_tables(database: Path, folder: Path, job: Job = UNWATCHED) -> list[Path]:
    """Write a file for every table of a lab book, rows in the order of their ids.

    Parameters
    ----------
    database : Path
        The SQLite file.
    folder : Path
        That is there.
    job : Job
        Stops the work between tables.

    Returns
    -------
    list of Path
        What was written; UTF-8, with the names of the columns first, the same every time.

    Raises
    ------
    OSError
        It cannot be written.
    """
    written = []
    with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as connection:
        names = connection.execute(
            "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite!_%' ESCAPE '!'"
        )
        for (name,) in sorted(names):
            job.check()
            path = folder / f"{name}.csv"
            with path.open("w", encoding="utf-8", newline="") as file:
                rows = connection.execute(f'SELECT * FROM "{name}" ORDER BY 1')
                writer = csv.writer(file, lineterminator="\n")
                writer.writerow(column[0] for column in rows.description)
                writer.writerows(rows)
            written.append(path)
    return written
