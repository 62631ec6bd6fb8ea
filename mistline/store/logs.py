"""What a process tells: warnings in words on its console, all of it as lines of JSON in a file that is turned over."""

import logging
from logging.handlers import RotatingFileHandler

from pythonjsonlogger.json import JsonFormatter

from mistline.store.settings import settings

__all__ = ["start_logs"]

FILE_BYTES, OLD_FILES = 10 * 2**20, 5
# A lost connection is told once by whoever needs it, not by every attempt of a library.
QUIET = ("psycopg.pool", "procrastinate", "asyncio")


def start_logs(name: str, words: str = "%(message)s") -> None:
    """Begin to log: to `logs/NAME.log` in the data folder, and warnings to the console in the given form."""
    logging.raiseExceptions = False  # a full disk must not fill the console too
    console = logging.StreamHandler()
    console.setLevel(logging.WARNING)
    console.setFormatter(logging.Formatter(words))
    folder = settings().data / "logs"
    handlers: list[logging.Handler] = [console]
    try:
        folder.mkdir(parents=True, exist_ok=True)
        file = RotatingFileHandler(folder / f"{name}.log", maxBytes=FILE_BYTES, backupCount=OLD_FILES)
        fields = ["asctime", "levelname", "name", "process", "message"]
        renamed = {"asctime": "time", "levelname": "level", "name": "logger"}
        file.setFormatter(JsonFormatter(fields, rename_fields=renamed))
        handlers.append(file)
    except OSError as error:
        logging.getLogger("mistline").warning("No log is written to %s (%s).", folder, error.strerror)
    logging.basicConfig(level=logging.WARNING, handlers=handlers, force=True)
    logging.getLogger("mistline").setLevel(logging.INFO)
    for library in QUIET:
        logging.getLogger(library).setLevel(logging.CRITICAL)
