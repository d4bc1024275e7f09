"""`python -m ivory_thistle.cli`: what the `thistle` script calls."""

from ivory_thistle.cli.main import main

if __name__ == "__main__":
    main()
