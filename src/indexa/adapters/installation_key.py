"""Keys that belong to one installation: made once, readable by its owner only, outside the database."""

import os
import secrets
from pathlib import Path


def installation_key(path: Path) -> str:
    """Return the key kept in path; make it first if there is none. Two processes get the same one."""
    try:
        return path.read_text()
    except FileNotFoundError:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    fresh = path.with_suffix(f".{os.getpid()}")
    fresh.touch(mode=0o600)
    fresh.write_text(secrets.token_urlsafe(48))
    try:
        os.link(fresh, path)
    except FileExistsError:
        pass
    finally:
        fresh.unlink()
    return path.read_text()
