"""Tokens that let their bearer into the demo once: the start command prints one, the sign-in page redeems it.

Each is a file named after the token's digest, so the folder tells nobody a token, and taking the file away is what
spends it: of two who try at once only one succeeds.
"""

from __future__ import annotations

import hashlib
import secrets
import time
from pathlib import Path

VALID_FOR = 24 * 3600
"""Seconds after which a token that nobody used is worth nothing."""


def issue(folder: Path) -> str:
    """Make a token; those that grew old go."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    for old in folder.iterdir():
        if not _valid(old):
            old.unlink(missing_ok=True)
    token = secrets.token_urlsafe(24)
    _path(folder, token).touch(mode=0o600)
    return token


def known(folder: Path, token: str) -> bool:
    """Whether a token would be taken."""
    return bool(token) and _valid(_path(folder, token))


def redeem(folder: Path, token: str) -> bool:
    """Take a token, once."""
    if not known(folder, token):
        return False
    try:
        _path(folder, token).unlink()
    except OSError:
        return False
    return True


def _valid(path: Path) -> bool:
    try:
        return time.time() - path.stat().st_mtime < VALID_FOR
    except OSError:
        return False


def _path(folder: Path, token: str) -> Path:
    return folder / hashlib.sha256(token.encode(errors="replace")).hexdigest()
