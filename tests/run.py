"""Run the tests and end with one line that counts them."""

import os
import sys
import unittest
import warnings
from pathlib import Path

ROOT = Path(__file__).parent


def main(arguments: list[str]) -> int:
    sys.path.insert(0, str(ROOT.parent))
    warnings.simplefilter("error")
    os.environ.setdefault("PYTHONWARNINGS", "error")
    loader = unittest.TestLoader()
    names = [name for name in arguments if not name.startswith("-")]
    suite = (
        loader.loadTestsFromNames(names)
        if names
        else loader.discover(str(ROOT), top_level_dir=str(ROOT.parent))
    )
    result = unittest.TextTestRunner(verbosity=2 if "-v" in arguments else 1, warnings="error").run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    for _, reason in result.skipped:
        print(f"skipped: {reason}")
    skipped = f", {len(result.skipped)} skipped" if result.skipped else ""
    print(f"{passed} passed, {failed} failed{skipped}")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
