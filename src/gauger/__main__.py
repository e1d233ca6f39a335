"""`python -m gauger` is the command line."""

from gauger.cli import main

main()
