"""The command line: `python -m mistline.cli`."""

import json
import logging
import os
import secrets
import webbrowser
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

from mistline.api.app import create_app
from mistline.cli import demo as demo_data
from mistline.cli import supervisor
from mistline.errors import MistlineError
from mistline.store.settings import Settings

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Compare upscaling and denoising methods.")
console = Console()
Browser = Annotated[bool, typer.Option(help="Open the browser.")]
MakeKey = Annotated[bool, typer.Option(help="Make a key for other machines and print it.")]


def _run(name: str, *, with_demo: bool, browser: bool, make_key: bool) -> None:
    logging.basicConfig(level=logging.WARNING, format="%(message)s")
    if make_key:
        os.environ["MISTLINE_KEY"] = secrets.token_urlsafe(24)
        console.print(f"The key of this start: [bold]{os.environ['MISTLINE_KEY']}[/bold]")
    settings = Settings(data=supervisor.default_data(name))

    def ready(address: str) -> None:
        console.print(f"Mistline is open at [bold]{address}[/bold]  (Ctrl-C stops it)")
        if browser and (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
            webbrowser.open(address)
        if with_demo:
            demo_data.seed()

    try:
        supervisor.run(settings, ready, [demo_data.service(settings)] if with_demo else [])
    except MistlineError as error:
        console.print(f"[bold]{error}[/bold]")
        raise typer.Exit(1) from None


@app.command()
def demo(browser: Browser = True, make_key: MakeKey = False) -> None:
    """Start Mistline with its demo data."""
    _run("demo", with_demo=True, browser=browser, make_key=make_key)


@app.command()
def start(browser: Browser = True, make_key: MakeKey = False) -> None:
    """Start Mistline with your own data."""
    _run("own", with_demo=False, browser=browser, make_key=make_key)


@app.command()
def openapi(out: Path) -> None:
    """Write the API's description, from which the web client's types are generated."""
    out.write_text(json.dumps(create_app().openapi(), indent=1, sort_keys=True) + "\n")


if __name__ == "__main__":
    app()
