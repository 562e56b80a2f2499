"""`python -m lucidex.launch`: starts everything, and stops it again."""

from lucidex.launch.server import main

if __name__ == "__main__":
    raise SystemExit(main())
