"""`python -m bench`: see bench/run.py."""

from bench.run import main

if __name__ == "__main__":
    main()
