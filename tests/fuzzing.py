"""Feeds every reader with bent input: ``python -m tests.fuzzing N SEED``.

Each reader has to answer or to refuse with its own kind of error, within two seconds, and to write
nothing outside the folder it was given. Input is bent from sound examples by a seeded generator, so
that a finding can be had again from its number; plain code, since the tests run where nothing but the
program's own libraries is installed.
"""

from __future__ import annotations

import json
import random
import signal
import sqlite3
import sys
import tempfile
import traceback
import warnings
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from oddtwin import operations
from oddtwin.core.judge import SessionDesign
from oddtwin.core.judgement import analyse as analyse_study
from oddtwin.core.judgement import session_result
from oddtwin.core.quantities import QuantityError, parse_quantity
from oddtwin.core.readings import ResponseKind, TableError, read_table, read_typed, write_table, write_typed
from oddtwin.core.schedule import parse_hours
from oddtwin.core.standing import standing_of
from oddtwin.core.study import MeasuredRegion, RunState, departures, study_from_readings, wanted_shots
from oddtwin.core.toolpath.gcode import GcodeError, read_gcode
from oddtwin.core.toolpath.match import SettingsError, read_settings
from oddtwin.core.toolpath.motion import LimitsError, limits_from
from oddtwin.core.toolpath.sliced import analyse
from oddtwin.operations import Flag, NewSession
from oddtwin.store import LabBook, StoreError, load_study
from oddtwin.store.exchange import read_study, write_study
from oddtwin.store.labbook import DATABASE
from oddtwin.work.shots import Filed, Shot
from tests.builders import NOON

BOOKS = Path(__file__).parent / "store" / "books"
SLOWEST_S = 2
ODD = (
    "",
    "0",
    "-1",
    "1e308",
    "1e155",
    "nan",
    "inf",
    "'",
    '"',
    ";",
    "\0",
    "\u2028",
    "\u202e",
    "=1+1",
    "ß" * 60,
)
ODD += (
    "9" * 40,
    "[",
    "{",
    "}",
    "]",
    "\n",
    "\r",
    "\t",
    "  ",
    "null",
    "true",
    "2**70",
    "0001-01-01T00:00:00+14:00",
)
VALUES = (
    None,
    "",
    0,
    -1,
    2**70,
    1e308,
    1e155,
    "nan",
    [],
    {},
    True,
    "\u202eevil",
    "x" * 300,
    "0001-01-01T00:00:00+14:00",
)


@dataclass(frozen=True)
class Reader:
    """How one kind of input is made and read, and which errors are its own."""

    name: str
    make: Callable[[random.Random], object]
    read: Callable[[object, Path], object]
    refuses: tuple[type[Exception], ...]


class TooSlowError(Exception):
    """A reader took more than its time."""


def bent_text(text: str, rng: random.Random) -> str:
    """Cut, double, exchange and put in odd signs."""
    for _ in range(rng.choice((0, 1, 1, 2, 4))):
        at = rng.randrange(len(text) + 1)
        end = min(len(text), at + rng.choice((0, 1, 3, 20)))
        put = rng.choice(ODD)
        ways = (text[:at] + put + text[end:], text[:at] + text[end:], text[:at], text[:end] + text[at:])
        text = rng.choice(ways)
    return text


def bent_value(value: object, rng: random.Random, rate: float = 0.02) -> object:
    """Exchange, drop and double parts of plain values."""
    if rng.random() < rate:
        return rng.choice(VALUES)
    if isinstance(value, dict):
        kept = {key: bent_value(item, rng, rate) for key, item in value.items() if rng.random() > rate / 2}
        return {**kept, "surprise": 1} if rng.random() < rate / 4 else kept
    if isinstance(value, list):
        items = [bent_value(item, rng, rate) for item in value]
        return items * 2 if rng.random() < rate / 2 else items
    return value


CSV = (
    "arm,value,response,unit,pair,machine,piece,run,zone,type,set_aside,combine,spool,day\n"
    "A,12.5,Force,N,1,Marlow,Ring,R1,,number,,mean,red,2026-03-09\n"
    "B,10.1,Force,N,1,Marlow,Ring,R2,,number,fell over,mean,red,2026-03-09\n"
    "A,clear,Strings,,1,Marlow,Ring,R1,rim,grade,,mean,,\nB,0,Strings,,1,Marlow,Ring,R2,rim,grade,,mean,,\n"
)
NEW_CSV = (
    "arm,value,response,unit,pair,machine,piece,run,plate,zone,waste,nominal,kind,set_aside,combine,spool,day,"
    "retake,by,instrument,at,source\n"
    "A,>40,Force,N,1,Marlow,Ring,R1,P1,,,,quantity,,mean,red,2026-03-09,0,Ada,scale,2026-03-09T12:00:00+01:00,typed\n"
    "A,12..14,Force,N,1,Marlow,Ring,R2,P1,,,,quantity,,mean,red,,1,,,,device\n"
    "B,5 of 7,Fits,,1,Marlow,Ring,R3,P2,,,,yes-no,,mean,,,,,,,\n"
    "B,8.1,Bore,mm,1,Marlow,Ring,R3,P2,bore,,8,size,,mean,,,,,,,\n"
    "A,matt,Sheen,,1,Marlow,Ring,R1,P1,,,,word,,mean,,,,,,,\nB,2,Blobs,,1,Marlow,Ring,R3,P2,,,,count,,sum,,,,,,,\n"
    "A,3,Droop,°,1,Marlow,Ring,R1,P1,45°,,,onset,,mean,,,,,,,\nA,1.5,Waste,g,1,Marlow,Ring,R1,P1,,purge,,quantity,,sum,,,,,,,\n"
)  # fmt: skip
GCODE = (
    "; layer_height = 0.2\nM83\nG28\nM104 S210\nG1 Z0.2 F600\nG1 X10 Y10 F3000\n;TYPE:Outer wall\n"
    "G1 X20 Y10 E0.4\nG2 X30 Y20 I10 J0 E1\nG3 X20 Y30 R12 E1\nG1 X10 Y10 E-0.8\nT1\n"
    "G4 P200\nM106 S255\nG92 E0\n"
)
INI = "[print]\nlayer_height = 0.2\nwalls = 3\n[filament]\ntemperature = 210\n"
HOURS = "7:00-8:30, 17-22"
MACHINE = {"acceleration": 1500, "jerk": {"x": 8, "y": 8}, "max_speed": {"x": 300}, "overhead_min": 7}


def _readings(text: object, folder: Path) -> object:
    rows = read_table(str(text))
    if read_table(write_table(rows)) != rows:
        raise AssertionError("readings do not come back equal")
    try:
        study = study_from_readings(rows, "fuzzed", rows[0].arm, NOON)
    except ValueError:
        return None
    return read_study(write_study(study), "back")


def _gcode(text: object, folder: Path) -> object:
    data = str(text).encode("utf-8", "replace")
    path = read_gcode([data[:50], data[50:]])
    return analyse(path) if path is not None else None


def _book(changes: object, folder: Path) -> object:
    database = folder / DATABASE
    database.write_bytes((BOOKS / "now.sqlite").read_bytes() if (BOOKS / "now.sqlite").exists() else _fresh())
    raw = sqlite3.connect(database)
    try:
        raw.execute("PRAGMA writable_schema = ON")
        raw.execute(str(changes))
        raw.commit()
    except (sqlite3.Error, ValueError):
        return None
    finally:
        raw.close()
    book = LabBook.open(folder)
    try:
        book.summaries()
        with book.reading() as connection:
            study = load_study(connection, 1)
        for shot in study.photographs:
            departures(study, shot)
        for session in study.sessions:
            session_result(study, session)
        return standing_of(study), analyse_study(study), wanted_shots(study), write_study(study)
    finally:
        book.close()


_MADE: list[bytes] = []


def _fresh() -> bytes:
    """A book in today's schema with a planned and half printed study."""
    if not _MADE:
        with tempfile.TemporaryDirectory() as name:
            place = Path(name)
            (place / DATABASE).write_bytes((BOOKS / "0004.sqlite").read_bytes())
            book = LabBook.open(place)
            look(book, 1)
            book.close()
            _MADE.append((place / DATABASE).read_bytes())
    return _MADE[0]


def look(book: LabBook, study_id: int) -> None:
    """Photograph, mark and judge the prints of a study; the pictures themselves are not there."""
    with book.reading() as connection:
        study = load_study(connection, study_id)
    piece = next(iter(study.pieces))
    operations.reopen(book, study_id=study_id)
    operations.add_view(book, piece_id=piece, face="lid", lamp="left")
    filed = [
        Filed(run.id, 1, Shot(f"{run.id:064x}", f"{run.code}.jpg", NOON, 0.02, 300, 200))
        for run in study.runs
    ]
    operations.add_photographs(book, filed=filed)
    zone = next(iter(study.pieces[piece].zones), "")
    operations.mark_fault(book, photograph_id=1, code="x", flag=Flag(0.5, 0.5, "Strings", 2, zone))
    region = MeasuredRegion("Size", "size", 1, 2, 30, 40, filed[0].shot.sha256, 5.0)
    operations.set_regions(book, view_id=1, name="lid", regions=[region])
    made = tuple(run.id for run in study.runs if run.state is RunState.PRINTED)
    wish = NewSession(SessionDesign.BETTER, made, ("Lena", "Olaf"), 1, seed=1)
    operations.begin_session(book, study_id=study_id, session=wish)
    with book.reading() as connection:
        trials = load_study(connection, study_id).sessions[0].trials
    for one in trials:
        operations.answer_trial(book, session_id=1, judge=one.judge, number=one.number, text="1")
    operations.close_session(book, session_id=1)
    operations.open_key(book, session_id=1)
    operations.edit_rig(book, exposure_s=0.02)
    operations.keep_threshold(
        book, judge="Lena", fault="Strings", unit="mm", value=0.1, low=None, high=0.2, lapse=0.0, trials=60,
        screen="",
    )  # fmt: skip


COLUMNS = {
    "run": ("plate_id", "arm_id", "block_id", "machine_id", "place", "code", "spool", "set_aside"),
    "plate": ("started", "finished", "sha256", "study_id"),
    "slot": ("start", "end", "plate_id"),
    "noise": ("squares", "df", "response_id"),
    "response_piece": ("piece_id", "response_id"),
    "arm": ("name", "role", "is_baseline", "of_change"),
    "response": (
        *("kind", "combine", "better", "margin", "target", "role", "noise_df", "primary", "subject", "words"),
        *("onset", "instrument"),
    ),
    "plan": ("design", "spools", "seed", "repeats", "frozen"),
    "piece": ("zones", "sizes", "faults", "minutes"),
    "machine": ("motion", "overhead_min", "name"),
    "study": ("created", "decision", "decided", "name"),
    "reading": (
        *("value", "run_id", "response_id", "zone", "waste", "nominal", "bound", "high", "out_of", "word"),
        *("retake", "at", "source"),
    ),
    "factor": ("kind", "name", "study_id"),
    "level": ("factor_id", "minutes", "value"),
    "view": ("piece_id", "face", "regions", "position"),
    "photograph": ("run_id", "view_id", "sha256", "taken", "exposure_s", "width", "retake"),
    "mark": ("photograph_id", "x", "grade", "zone", "at"),
    "session": (
        *("design", "view_id", "response_id", "judges", "seed", "trials", "letters", "nonce"),
        *("commitment", "locked", "closed", "opened"),
    ),
    "answer": ("session_id", "judge", "number", "answer", "at"),
    "threshold": ("judge", "value", "low", "fault", "at"),
    "rig": ("page", "check_x_mm", "exposure_s"),
    "plan_machine": ("machine_id", "position"),
    "prediction": ("seconds", "machine_id"),
    "book": ("name", "head"),
}


def _change(rng: random.Random) -> str:
    table = rng.choice(list(COLUMNS))
    column = rng.choice(COLUMNS[table])
    odd = rng.choice(
        ("NULL", "''", "'odd'", "-1", "9e999", "x'ff00'", "'[1]'", "'{'", "99", "0", "'{\"a\":1}'")
    )
    if rng.random() < 0.1:
        return f"DELETE FROM {table}"
    if rng.random() < 0.05:
        return f"UPDATE sqlite_master SET sql = x'ff', name = x'ff' WHERE name = '{table}'"
    return f'UPDATE {table} SET "{column}" = {odd}'


@cache
def _study_text(version: int) -> dict[str, object]:
    """A study file of version 3, or of today with every kind of reading."""
    text = (BOOKS / "study-3.json").read_text(encoding="utf-8")
    if version > 7:
        with tempfile.TemporaryDirectory() as name:
            (Path(name) / DATABASE).write_bytes(_fresh())
            book = LabBook.open(Path(name))
            with book.reading() as connection:
                text = write_study(load_study(connection, 1))
            book.close()
    elif version > 3:
        text = write_study(study_from_readings(read_table(NEW_CSV), "new", "A", NOON))
    found: dict[str, object] = json.loads(text)
    return found


def _study_json(rng: random.Random) -> str:
    text = json.dumps(bent_value(_study_text(rng.choice((3, 5, 8))), rng))
    return bent_text(text, rng) if rng.random() < 0.2 else text


def _machine(data: object, folder: Path) -> object:
    return limits_from(data) if isinstance(data, dict) else None


def _settings(text: object, folder: Path) -> object:
    return read_settings(str(text), "x")


def _quantity(text: object, folder: Path) -> object:
    return parse_quantity(str(text), "min")


def _typed(given: object, folder: Path) -> object:
    kind, text = str(given).split(" ", 1)
    read = read_typed(text, ResponseKind[kind], "mm", ("matt", "glossy"))
    if read_typed(write_typed(read), ResponseKind[kind], "mm", ("matt", "glossy")) != read:
        raise AssertionError(f"{read} does not come back equal")
    return read


def _a_reading(rng: random.Random) -> str:
    text = rng.choice((">40", "40..60", "5 of 7", "y", "matt", "clear", "2", "<0,5 in", "-0.25"))
    return f"{rng.choice(list(ResponseKind)).name} {bent_text(text, rng)}"


_OF_TABLES = (TableError, StoreError)

READERS = (
    Reader("readings", lambda rng: bent_text(rng.choice((CSV, NEW_CSV)), rng), _readings, _OF_TABLES),
    Reader("gcode", lambda rng: bent_text(GCODE, rng), _gcode, (GcodeError,)),
    Reader("settings", lambda rng: bent_text(INI, rng), _settings, (SettingsError,)),
    Reader("study", _study_json, lambda text, _: read_study(str(text), "x"), (StoreError,)),
    Reader("machine", lambda rng: bent_value(MACHINE, rng, 0.2), _machine, (LimitsError,)),
    Reader("quantity", lambda rng: bent_text("1h37", rng), _quantity, (QuantityError,)),
    Reader("typed", _a_reading, _typed, (QuantityError,)),
    Reader("hours", lambda rng: bent_text(HOURS, rng), lambda text, _: parse_hours(str(text)), (ValueError,)),
    Reader("book", _change, _book, (StoreError,)),
)


def main(count: int, seed: int) -> int:
    """Try that many inputs, in turn for each reader; returns how many were not answered as they should be."""
    import scipy.special  # noqa: F401 - loading it takes longer than any answer may

    warnings.simplefilter("error")
    # Made before the clock runs.
    _fresh()
    signal.signal(signal.SIGALRM, _too_slow)
    broken = 0
    for number in range(count):
        reader = READERS[number % len(READERS)]
        rng = random.Random(f"{seed} {number}")
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name) / "in"
            folder.mkdir()
            given = reader.make(rng)
            signal.setitimer(signal.ITIMER_REAL, SLOWEST_S)
            try:
                reader.read(given, folder)
            except reader.refuses as error:
                if not str(error).strip() or "Traceback" in str(error):
                    broken += _report(number, reader, given, "it says nothing")
            except BaseException:  # noqa: BLE001 - whatever else comes out is what is looked for
                broken += _report(number, reader, given, traceback.format_exc(limit=-4))
            finally:
                signal.setitimer(signal.ITIMER_REAL, 0)
            if [path.name for path in Path(name).iterdir()] != ["in"]:
                broken += _report(number, reader, given, "it wrote outside of its folder")
    print(f"{count} inputs, {broken} not answered as they should be")
    return broken


def _too_slow(*_: object) -> None:
    raise TooSlowError(f"more than {SLOWEST_S} s")


def _report(number: int, reader: Reader, given: object, found: str) -> int:
    print(f"{reader.name} {number}: {str(given)[:400]!r}\n{found}", flush=True)
    return 1


if __name__ == "__main__":
    sys.exit(min(1, main(int(sys.argv[1]), int(sys.argv[2]))))
