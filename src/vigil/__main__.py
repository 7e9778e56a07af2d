"""`python -m vigil`."""

import sys

from vigil.cli import main

sys.exit(main())
