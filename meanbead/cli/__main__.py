"""``python -m meanbead.cli``: the same as the command ``meanbead``."""

import sys

from meanbead.cli import main

sys.exit(main())
