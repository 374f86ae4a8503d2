"""``python -m dustpan``."""

from dustpan.cli import main

if __name__ == "__main__":
    main()
