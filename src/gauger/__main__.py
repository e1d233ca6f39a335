"""`python -m gauger` is the command line."""

from gauger.cli import main

if __name__ == "__main__":
    main()
