"""``python -m dustpan``."""

from dustpan.cli.main import main

if __name__ == "__main__":
    main()
