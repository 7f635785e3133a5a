"""`python -m gloamet`."""

import sys

from gloamet.cli import main

sys.exit(main())
