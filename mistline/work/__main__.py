"""`python -m mistline.work` runs the worker."""

from mistline.work.worker import main

main()
