"""Files by the hash of their content: written, flushed and renamed before any event names them."""

import hashlib
import os
import tempfile
from pathlib import Path

from escuadra.core.base.errors import BadInput, Busy
from escuadra.core.base.said import said


class FileStore:
    """Content-addressed files below a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def _path(self, digest: str) -> Path:
        return self.folder / digest[:2] / digest

    def put(self, content: bytes) -> str:
        """Store bytes; returns their SHA-256. On return they are on the disk."""
        digest = hashlib.sha256(content).hexdigest()
        path = self._path(digest)
        if path.exists():
            return digest
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(dir=path.parent)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(content)
                file.flush()
                os.fsync(file.fileno())
            Path(temporary).replace(path)
        except OSError as error:
            Path(temporary).unlink(missing_ok=True)
            raise Busy(said("store.files.disk_could_not_take_file", strerror=error.strerror)) from error
        directory = os.open(path.parent, os.O_RDONLY)
        os.fsync(directory)
        os.close(directory)
        return digest

    def get(self, digest: str) -> bytes:
        """The bytes; raises ``BadInput`` where they are missing or were changed."""
        path = self._path(digest)
        if not path.exists():
            raise BadInput("file", digest, said("wants.stored_file_missing_data_folder"))
        content = path.read_bytes()
        if hashlib.sha256(content).hexdigest() != digest:
            raise BadInput("file", digest, said("wants.file_stored_bytes_changed"))
        return content

    def check(self, digest: str) -> None:
        """Read a file through, a piece at a time; raises ``BadInput`` where it is missing or was changed."""
        path = self._path(digest)
        if not path.exists():
            raise BadInput("file", digest, said("wants.stored_file_missing_data_folder"))
        with path.open("rb") as file:
            if hashlib.file_digest(file, "sha256").hexdigest() != digest:
                raise BadInput("file", digest, said("wants.file_stored_bytes_changed"))
