"""What is kept beside a call: photographs of its plans, and the simulated house of a practice call."""

from __future__ import annotations

from even_static.core.errors import NotFound
from even_static.store.data_file import DataFile
from even_static.store.queries import (
    INSERT_PHOTO,
    ONE_PHOTO,
)


class Attachments(DataFile):
    """Photographs and simulated houses by call."""

    def keep_photo(self, call_id: int, photo_id: str, jpeg: bytes) -> None:
        """Keep a photograph of a plan with its call; undo may forget where it lay, never the picture."""
        with self.transaction() as connection:
            connection.execute(INSERT_PHOTO, {"call": call_id, "id": photo_id, "jpeg": jpeg})

    def photo(self, call_id: int, photo_id: str) -> bytes:
        """A photograph as JPEG; NotFound when the call has none of that name."""
        with self.connect() as connection:
            row = connection.execute(ONE_PHOTO, {"call": call_id, "id": photo_id}).fetchone()
        if row is None:
            raise NotFound("photo_id", "must be a photograph of the call", photo_id, "")
        return bytes(row[0])

    def stand_in(self, call_id: int) -> str | None:
        """State of the simulated house behind a call, as text; None when there is none yet."""
        with self.connect() as connection:
            row = connection.execute("SELECT state_json FROM stand_in WHERE call_id = :id", {"id": call_id}).fetchone()
        return None if row is None else str(row[0])

    def keep_stand_in(self, call_id: int, state_json: str) -> None:
        """Keep the state of the simulated house behind a call."""
        with self.transaction() as connection:
            connection.execute(
                "INSERT INTO stand_in (call_id, state_json) VALUES (:id, :state)"
                " ON CONFLICT (call_id) DO UPDATE SET state_json = :state",
                {"id": call_id, "state": state_json},
            )
