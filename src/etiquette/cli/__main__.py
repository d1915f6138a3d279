"""`python -m etiquette.cli`."""

from etiquette.cli import main

if __name__ == "__main__":
    main()
