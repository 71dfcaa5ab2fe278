"""Runs every test, or those of the folders that are named."""

import sys

from tests.running import main

if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
