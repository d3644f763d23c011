"""Run the command line with ``python -m oddtwin.cli``."""

import sys

from oddtwin.cli import main

sys.exit(main())
