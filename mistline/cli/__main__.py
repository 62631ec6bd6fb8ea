"""The command line: `python -m mistline.cli`."""

import contextlib
import json
import os
import secrets
import webbrowser
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated

import psycopg
import typer
from rich.console import Console

from mistline.cli import supervisor
from mistline.errors import MistlineError
from mistline.store import cluster
from mistline.store.backup import backup as write_backup
from mistline.store.backup import restore as read_backup
from mistline.store.files import Media, media_at
from mistline.store.settings import Settings

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Compare upscaling and denoising methods.")
console = Console()
Browser = Annotated[bool, typer.Option(help="Open the browser.")]
MakeKey = Annotated[bool, typer.Option(help="Make a key for other machines and print it.")]


def _run(name: str, *, with_demo: bool, browser: bool, make_key: bool) -> None:
    if make_key:
        os.environ["MISTLINE_KEY"] = secrets.token_urlsafe(24)
        console.print(f"The key of this start: [bold]{os.environ['MISTLINE_KEY']}[/bold]")
    settings = Settings(data=supervisor.default_data(name))
    if with_demo:
        from mistline.cli import demo as demo_data  # loads all that measures

    def ready(address: str) -> None:
        console.print(f"Mistline is open at [bold]{address}[/bold]  (Ctrl-C stops it)")
        if browser and (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
            webbrowser.open(address)
        if with_demo:
            demo_data.seed()

    with _sentences():
        supervisor.run(settings, ready, [demo_data.service(settings)] if with_demo else [])


@app.command()
def demo(browser: Browser = True, make_key: MakeKey = False) -> None:
    """Start Mistline with its demo data."""
    _run("demo", with_demo=True, browser=browser, make_key=make_key)


@app.command()
def start(browser: Browser = True, make_key: MakeKey = False) -> None:
    """Start Mistline with your own data."""
    _run("own", with_demo=False, browser=browser, make_key=make_key)


@app.command()
def worker() -> None:
    """Work for the Mistline of another machine: MISTLINE_DATABASE_URL and MISTLINE_MEDIA_URL say where it is."""
    with _sentences():
        supervisor.join(Settings(data=supervisor.default_data("worker")))


@contextlib.contextmanager
def _sentences() -> Iterator[None]:
    """Say in a sentence what goes wrong, and end."""
    try:
        yield
    except (MistlineError, OSError, psycopg.Error) as error:
        console.print(f"[bold]{error}[/bold]")
        raise typer.Exit(1) from None


@contextlib.contextmanager
def _store() -> Iterator[tuple[str, Media]]:
    """Database and media store of one's own data, served meanwhile if nobody does."""
    settings = Settings(data=supervisor.default_data("own"))
    private = settings.data / "postgres"
    running = settings.database_url or cluster.running_url(private)
    try:
        with _sentences():
            media = media_at(settings.media, settings.cache_folder, settings.cache_bytes)
            yield running or cluster.start(private), media
    finally:
        if not running:
            cluster.stop(private)


@app.command()
def backup(folder: Path) -> None:
    """Copy everything that cannot be made again into a folder, also while Mistline runs."""
    with _store() as (url, media):
        console.print(
            f"The backup in {folder} is complete; {write_backup(url, media, folder)} files are new in it."
        )


@app.command()
def restore(folder: Path) -> None:
    """Bring a backup back, into a data folder (MISTLINE_DATA) that does not exist yet."""
    with _store() as (url, media):
        copied, missing = read_backup(url, media, folder)
        again = f"; {missing} of them are not whole and are made again when looked at" if missing else ""
        console.print(f"{copied} files are back{again}. Start Mistline as usual.")


@app.command()
def openapi(out: Path) -> None:
    """Write the API's description, from which the web client's types are generated."""
    from mistline.api.app import create_app  # takes long to load

    out.write_text(json.dumps(create_app().openapi(), indent=1, sort_keys=True) + "\n")


if __name__ == "__main__":
    app()
