"""``python -m legatum`` is the command ``legatum``."""

import sys

from legatum.cli.main import main

sys.exit(main())
