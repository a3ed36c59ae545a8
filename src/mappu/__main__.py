"""`python -m mappu`."""

from mappu.cli import main

main()
