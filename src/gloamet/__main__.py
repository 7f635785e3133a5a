# SPDX-License-Identifier: Apache-2.0
"""`python -m gloamet`."""

import sys

from gloamet.cli import main

sys.exit(main())
