"""`python -m mistline.work` runs the worker; `--joined` one that joined from another machine."""

import sys

from mistline.work.worker import main

main(joined="--joined" in sys.argv)
