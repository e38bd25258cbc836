"""Where this checkout keeps what it installs and makes. Nothing here is committed."""

from __future__ import annotations

import os
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
LOCAL = Path(os.environ.get("KALYPTRA_DATA") or ROOT / ".local")
ENVIRONMENT = Path(os.environ.get("KALYPTRA_ENVIRONMENT") or LOCAL / "python")
PYTHON = ENVIRONMENT / "bin" / "python"
LOGS = LOCAL / "logs"


class CannotGoOn(Exception):
    """Setting up cannot go on. The text says what happened and what to do."""


def make_local() -> Path:
    """Make the data folder. Others may pass through it (the database account must), never list it."""
    LOCAL.mkdir(parents=True, exist_ok=True)
    LOCAL.chmod(0o711)
    LOGS.mkdir(exist_ok=True, mode=0o700)
    return LOCAL
