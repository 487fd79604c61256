"""`python -m tests [NAME …]`: every test, or those named."""

import sys

from tests.runner import main

if __name__ == "__main__":
    sys.exit(main())
