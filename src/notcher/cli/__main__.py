"""`python -m notcher.cli`."""

import sys

from notcher.cli import main

if __name__ == "__main__":
    sys.exit(main())
