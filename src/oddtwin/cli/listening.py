"""The command ``devices``: what is plugged in, and stand-ins to try with."""

from __future__ import annotations

import argparse
import time

from oddtwin.cli.errors import InputError


def add_parser(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    parser = commands.add_parser("devices", help="list what is plugged in; or start simulated instruments")
    parser.set_defaults(run=run)
    parser.add_argument("--simulate", action="store_true", help="start the stand-ins, and name their ports")
    parser.add_argument(
        "--listen", metavar="PORT", help="print what an instrument sends, as it is understood"
    )
    parser.add_argument(
        "--kind",
        choices=("scale", "calliper", "sound level", "force", "stopwatch", "climate"),
        default="scale",
    )
    parser.add_argument("--baud", type=int, default=9600, metavar="N")
    parser.add_argument("--seed", type=int, default=1, metavar="N")
    parser.add_argument("--pace", type=float, default=1.0, metavar="X", help="times faster than life")
    parser.add_argument("--seconds", type=float, metavar="S", help="end by itself; else Ctrl+C does")


def run(arguments: argparse.Namespace) -> int:
    """List ports, start stand-ins, or listen."""
    if not 0 < arguments.pace <= 10_000:
        raise InputError("--pace: give a number above zero, at most 10000")
    if arguments.seconds is not None and not 0 <= arguments.seconds < 1e6:
        raise InputError("--seconds: give seconds of zero or more")
    if arguments.seed < 0:
        raise InputError("--seed: give a whole number of zero or more")
    if not 0 < arguments.baud <= 10_000_000:
        raise InputError("--baud: give a rate such as 9600")
    if arguments.simulate:
        return _simulate(arguments)
    return _listen(arguments) if arguments.listen else _list()


def _list() -> int:
    from oddtwin.devices import found_ports

    found = found_ports()
    for port in found:
        print(f"{port.path}: {port.name}")
    if not found:
        print("Nothing is plugged in at a serial port. Try --simulate for stand-ins.")
    return 0


def _simulate(arguments: argparse.Namespace) -> int:
    from oddtwin.devices.simulated import (
        SimulatedClimate,
        SimulatedPrinter,
        SimulatedScale,
        SimulatedSound,
    )

    seed, pace = arguments.seed, arguments.pace
    scale = SimulatedScale(seed, pace)
    scale.put(48.3)
    stand_ins = {
        "scale, 48.3 g on it": scale,
        "scale that answers to P": SimulatedScale(seed + 1, pace, on_demand=True),
        "sound level": SimulatedSound(seed + 2, pace),
        "climate": SimulatedClimate(seed + 3, pace),
        "printer, 200 layers of 20 s": SimulatedPrinter("simulated", [20.0] * 200, seed=seed + 4, pace=pace),
    }
    try:
        for name, one in stand_ins.items():
            one.start()
            print(f"{one.path}: {name}", flush=True)
        _wait(arguments.seconds)
    finally:
        for one in stand_ins.values():
            one.close()
    return 0


def _wait(seconds: float | None) -> None:
    end = None if seconds is None else time.monotonic() + seconds
    try:
        while end is None or time.monotonic() < end:
            time.sleep(0.05)
    except KeyboardInterrupt:
        return


def _listen(arguments: argparse.Namespace) -> int:
    from oddtwin.devices import Instrument, Setup

    instrument = Instrument(Setup(arguments.kind, arguments.listen, arguments.baud))
    end = None if arguments.seconds is None else time.monotonic() + arguments.seconds
    told = ""
    try:
        while end is None or time.monotonic() < end:
            for sample in instrument.poll():
                still = "" if instrument.stable else "  (moving)"
                print(f"{sample.value:.{sample.decimals}f} {sample.unit}{still}", flush=True)
            if instrument.trouble != told:
                told = instrument.trouble
                if told:
                    print(f"  ! {told}", flush=True)
            time.sleep(0.05)
    except KeyboardInterrupt:
        pass
    finally:
        instrument.close()
    return 0
