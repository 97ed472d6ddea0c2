"""Files that are whole or not there: written aside, brought to the disk, then given their name."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any
from uuid import uuid4

from django.core.files.base import File
from django.core.files.storage import FileSystemStorage
from django.utils.deconstruct import deconstructible


@deconstructible
class WholeFiles(FileSystemStorage):
    """A folder of files. A crash while one is written leaves a file beside it that nothing names, and nothing half."""

    def _save(self, name: str, content: File[Any]) -> str:
        target = Path(self.path(name))
        target.parent.mkdir(parents=True, exist_ok=True)
        aside = target.with_name(f".{target.name}.{uuid4().hex}")
        try:
            with aside.open("wb") as file:
                for chunk in content.chunks():
                    file.write(chunk)
                file.flush()
                os.fsync(file.fileno())
            aside.replace(target)
        finally:
            aside.unlink(missing_ok=True)
        _sync_folder(target.parent)
        return name


def _sync_folder(folder: Path) -> None:
    """A new name is on the disk once its folder is."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
