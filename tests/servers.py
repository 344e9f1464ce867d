"""Real servers for tests: PostgreSQL with pgvector out of a wheel, and a stand-in of an object store."""

from __future__ import annotations

import itertools
import os
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

_COUNT = itertools.count()


class DatabaseServer:
    """A PostgreSQL server of one's own; each test gets a database."""

    def __init__(self, folder: Path) -> None:
        import pgserver

        os.environ.setdefault("XDG_RUNTIME_DIR", str(folder))
        self.folder = folder / "data"
        self._server = pgserver.get_server(str(self.folder), cleanup_mode="stop")
        self._bin = Path(pgserver.__file__).parent / "pginstall" / "bin"

    def database(self) -> str:
        """The address of a new database."""
        name = f"d{next(_COUNT)}"
        with psycopg.connect(self.address("postgres"), autocommit=True) as link:
            link.execute(f"CREATE DATABASE {name}")  # type: ignore[arg-type]
        return self.address(name)

    def address(self, name: str, user: str = "postgres") -> str:
        """The address of a database by its name."""
        return f"postgresql://{user}@/{name}?host={self.folder}"

    def run(self, address: str, *statements: str) -> list[tuple[object, ...]]:
        """The rows of the last of some statements."""
        with psycopg.connect(address, autocommit=True) as link:
            for statement in statements:
                found = link.execute(statement)  # type: ignore[call-overload]
            return found.fetchall() if found.description else []

    def control(self, *arguments: str) -> None:
        """Stops or starts it, as `pg_ctl` does."""
        command = [str(self._bin / "pg_ctl"), "-D", str(self.folder), "-w", *arguments]
        user = {"user": self._user} if os.geteuid() == 0 else {}
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **user)  # type: ignore[call-overload]

    @property
    def _user(self) -> int:
        return self.folder.stat().st_uid

    def restart(self) -> None:
        """Ends all connections at once, and starts again."""
        self.control("restart", "-m", "immediate", "-o", f'-h "" -k {self.folder}')


@pytest.fixture(scope="session")
def database_server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[DatabaseServer]:
    """A PostgreSQL server for the tests of one process."""
    import tempfile

    folder = Path(tempfile.mkdtemp(prefix="pg", dir="/tmp"))  # a socket's path must be short
    server = DatabaseServer(folder)
    yield server
    server._server.cleanup()


@pytest.fixture
def database(database_server: DatabaseServer) -> str:
    """The address of an empty database."""
    return database_server.database()


@pytest.fixture(scope="session")
def object_store() -> Iterator[str]:
    """The address of a stand-in of an object store, with the variables set by which clients find it."""
    from moto.server import ThreadedMotoServer

    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    for _ in range(100):
        if server._server is not None:
            break
        time.sleep(0.05)
    host, port = server.get_host_and_port()
    names = {
        "AWS_ENDPOINT_URL": f"http://{host}:{port}", "AWS_ACCESS_KEY_ID": "test", "AWS_SECRET_ACCESS_KEY": "test",
        "AWS_DEFAULT_REGION": "us-east-1",
    }  # fmt: skip
    before = {name: os.environ.get(name) for name in names}
    os.environ.update(names)
    yield names["AWS_ENDPOINT_URL"]
    server.stop()
    for name, value in before.items():
        if value is None:
            os.environ.pop(name, None)
        else:
            os.environ[name] = value
