"""The user's own files: read with errors told plainly, written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from ..core.errors import BadInput
from .store import told


def read_text(path: Path) -> str:
    """The text of a UTF-8 file, without a byte-order mark; raises `BadInput` with the reason."""
    try:
        return path.read_text(encoding="utf-8-sig")
    except FileNotFoundError:
        raise BadInput(f"{path}: no such file") from None
    except IsADirectoryError:
        raise BadInput(f"{path}: is a folder, not a file") from None
    except UnicodeDecodeError as error:
        raise BadInput(f"{path}: not UTF-8 text (byte {error.start})") from None
    except OSError as error:
        raise BadInput(f"{path}: can't be read ({error.strerror})") from None


def write_whole(path: Path, data: str | bytes) -> None:
    """Writes a file in one step, its folder too: it is there whole, or as it was before."""
    body = data.encode() if isinstance(data, str) else data
    with told(path):
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, draft = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(body)
            os.chmod(draft, 0o644)
            os.replace(draft, path)
        except BaseException:
            os.unlink(draft)
            raise
