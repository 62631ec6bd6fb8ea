"""Fixtures: pictures, a throw-away cluster for each test process, a running Mistline."""

import io
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import settings
from PIL import Image

from mistline.core.frame import Frame
from mistline.store import cluster
from tests.distant import served_objects
from tests.harness import KEY, Running, running

# The same cases on every run, however busy the machine; `pytest --hypothesis-profile=search` looks for others.
settings.register_profile("steady", derandomize=True, deadline=None)
settings.register_profile("search", deadline=None)
settings.load_profile("steady")


def as_png(codes: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(codes).save(out, "PNG")
    return out.getvalue()


@pytest.fixture(scope="session")
def astronaut() -> np.ndarray:
    """A CC0 photograph that ships inside scikit-image: 512 x 512, 8-bit RGB."""
    from skimage import data

    return data.astronaut()


@pytest.fixture(scope="session")
def photograph(astronaut: np.ndarray) -> Frame:
    return Frame(astronaut.astype(np.float32) / 255, 8)


@pytest.fixture(scope="session")
def cluster_url() -> Iterator[str]:
    """A cluster of this test process alone; removed afterwards."""
    folder = Path(tempfile.mkdtemp(prefix="mistline-tests-"))
    folder.chmod(0o755)
    url = cluster.start(folder / "postgres")
    yield url
    cluster.stop(folder / "postgres")
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def object_store() -> Iterator[str]:
    """The URL of an empty bucket of a simulated S3 server, as a media store."""
    with served_objects() as url:
        yield url


@pytest.fixture(scope="module")
def app(cluster_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    """A running Mistline with an empty Shelf, shared by the tests of a module."""
    with running(cluster_url, tmp_path_factory.mktemp("app")) as started:
        yield started


@pytest.fixture(scope="module")
def locked(cluster_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    """One that has a key and another name, as behind a proxy."""
    folder = tmp_path_factory.mktemp("locked")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("MISTLINE_KEY", KEY)
        patch.setenv("MISTLINE_ALLOWED_HOSTS", '["mistline.example"]')
        with running(cluster_url, folder) as app:
            yield app
