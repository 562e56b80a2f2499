"""`python -m bench [run|tone|batch|methods] …`: see the files of these names.

They are started from here, because a process that is forked imports the file it was started by once more; of a
package's `__main__` it does not.
"""

import sys
from importlib import import_module

BENCHES = ("run", "tone", "batch", "methods")

if __name__ == "__main__":
    name = sys.argv.pop(1) if len(sys.argv) > 1 and sys.argv[1] in BENCHES else "run"
    import_module(f"bench.{name}").main()
