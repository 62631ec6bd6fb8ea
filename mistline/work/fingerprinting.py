"""Have methods measured in general."""

from mistline.core.methods import METHODS
from mistline.errors import NotFound
from mistline.store import fingerprints
from mistline.store.database import connect
from mistline.work.tasks import queue_fingerprint

__all__ = ["measure_methods"]


def measure_methods(wanted: list[str] | None) -> int:
    """Queue methods, or all, that have no fingerprint of their version; return how many.

    Raises
    ------
    NotFound
        If there is no such method.
    """
    if unknown := set(wanted or ()) - set(METHODS):
        raise NotFound(f"There is no method named {sorted(unknown)[0]}; it may have been removed.")
    versions = {method: METHODS[method].version for method in wanted or METHODS}
    with connect() as connection:
        asked = [
            (method, version)
            for method, version in versions.items()
            if fingerprints.ask(connection, method, version)
        ]
    for method, version in asked:
        queue_fingerprint(method, version)
    return len(asked)
