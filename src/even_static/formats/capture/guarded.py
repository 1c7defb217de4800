"""Reading a file that may be damaged or lie about its lengths."""

from __future__ import annotations

import struct
from typing import BinaryIO

import dpkt

LARGEST_RECORD_BYTES = 1 << 18


DAMAGE = (dpkt.Error, struct.error, IndexError, AttributeError, ValueError, OverflowError, TypeError)


class Guarded:
    """A file for the container reader: counts, notices a short read, and refuses absurd record lengths."""

    def __init__(self, file: BinaryIO) -> None:
        self._read = file.read
        self._file = file
        self.bytes_read = 0
        self.cut_short = False
        self.name = "capture"
        self._size = 0
        self._again = self._first = b""
        self._seekable = file.seekable()
        if self._seekable:
            at = file.tell()
            self._size = file.seek(0, 2)
            file.seek(at)

    @property
    def fraction(self) -> float:
        """Share of the file that has been read; 0 for one that has no end yet, such as a pipe."""
        return min(self.bytes_read / self._size, 1.0) if self._size else 0.0

    def read(self, size: int) -> bytes:
        """Read ``size`` bytes; ValueError when no record can be that long."""
        if size > LARGEST_RECORD_BYTES or size < 0:
            raise ValueError(f"a record claims {size} bytes")
        data, self._again = self._again[:size], self._again[size:]
        if len(data) < size:
            data += self._read(size - len(data))
        if not self._seekable and self.bytes_read < 4:
            self._first = data
        if len(data) < size and (data or size != self._header):
            self.cut_short = True
        self.bytes_read += len(data)
        return data

    _header = 0

    def expect_headers_of(self, size: int) -> None:
        """A read of this size that meets the end of the file is its regular end."""
        self._header = size

    def seek(self, to: int) -> None:
        """Start again; a pipe can do so only right after its first four bytes."""
        if self._seekable:
            self._file.seek(to)
        else:
            self._again = self._first
        self.bytes_read = 0
        self.cut_short = False
