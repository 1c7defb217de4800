"""Photographs of paper plans: checked, made upright and small, without what a camera writes beside the picture."""

from __future__ import annotations

import base64
import hashlib
import io
import warnings
from collections.abc import Callable
from dataclasses import dataclass, replace

from even_static.core.errors import BadInput
from even_static.core.house.job import Job, Photo

LARGEST_BYTES = 20 << 20
# A JPEG is decoded at a fraction of its size; other kinds have to be decoded whole.
LARGEST_PIXELS = 80_000_000
LARGEST_PIXELS_WHOLE = 36_000_000
LONGEST_SIDE_PX = 2400
QUALITY = 82
KINDS = ("JPEG", "PNG", "WEBP", "GIF", "BMP", "TIFF")


@dataclass(frozen=True, slots=True)
class TakenPhoto:
    """A photograph as it is kept: JPEG of at most 2400 pixels a side; ``id`` follows from its bytes."""

    id: str
    jpeg: bytes
    width_px: int
    height_px: int


def take_photo(raw: bytes) -> TakenPhoto:
    """A photograph from an uploaded file. BadInput for files that are too large, no picture, or damaged.

    Place, time and camera, which phones write into their pictures, are left out.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError

    if len(raw) > LARGEST_BYTES:
        raise BadInput("photo", "must not be larger than 20 MiB", f"{len(raw) / 2**20:.1f} MiB", "a smaller picture")
    if not raw:
        raise BadInput("photo", "must be a picture", "an empty file", "JPEG, PNG, WebP, GIF, BMP or TIFF")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            opened = Image.open(io.BytesIO(raw), formats=KINDS)
            most = LARGEST_PIXELS if opened.format in ("JPEG", "MPO") else LARGEST_PIXELS_WHOLE
            if opened.width * opened.height > most:
                raise Image.DecompressionBombError
            opened.draft("RGB", (LONGEST_SIDE_PX, LONGEST_SIDE_PX))
            # Made small first: what turns and converts it then handles a few million pixels.
            opened.thumbnail((LONGEST_SIDE_PX, LONGEST_SIDE_PX))
            upright = ImageOps.exif_transpose(opened)
            if upright.mode in ("RGBA", "LA", "P"):
                clear = upright.convert("RGBA")
                paper = Image.new("RGB", clear.size, "white")
                paper.paste(clear, mask=clear.getchannel("A"))
            else:
                paper = upright.convert("RGB")
    except Image.DecompressionBombError:
        raise BadInput(
            "photo", "must not have more pixels than can be worked with", None, "36 million, as JPEG 80 million"
        ) from None
    except UnidentifiedImageError:
        came = raw[:8].hex(" ")
        raise BadInput("photo", "must be a picture", f"bytes {came} ...", "JPEG, PNG, WebP, GIF, BMP or TIFF") from None
    except (OSError, ValueError, SyntaxError) as error:
        raise BadInput("photo", "must be whole: the picture is damaged", str(error), "a picture that opens") from None
    out = io.BytesIO()
    paper.save(out, "JPEG", quality=QUALITY)
    jpeg = out.getvalue()
    return TakenPhoto(f"photo-{hashlib.sha256(jpeg).hexdigest()[:24]}", jpeg, paper.width, paper.height)


def is_kept_photo(jpeg: bytes) -> bool:
    """Whether bytes are a photograph as :func:`take_photo` makes them."""
    from PIL import Image

    try:
        with Image.open(io.BytesIO(jpeg), formats=("JPEG",)) as opened:
            return opened.width <= LONGEST_SIDE_PX and opened.height <= LONGEST_SIDE_PX
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return False


def packed(job: Job, jpeg_of: Callable[[str], bytes]) -> Job:
    """The job with the photographs that lie under its plans, for a file that carries them all."""
    wanted = dict.fromkeys(u.photo_id for u in job.building.underlays) if job.building is not None else {}
    return replace(job, photos=tuple(Photo(i, base64.b64encode(jpeg_of(i)).decode()) for i in wanted))


def unpacked(job: Job) -> tuple[Job, list[TakenPhoto]]:
    """The job without the photographs that it carries, and these, checked like uploaded ones. BadInput names which."""
    if not job.photos:
        return job, []
    taken: dict[str, TakenPhoto] = {}
    for i, photo in enumerate(job.photos):
        try:
            taken[photo.id] = take_photo(base64.b64decode(photo.jpeg_base64, validate=True))
        except (BadInput, ValueError) as error:
            rule = error.rule if isinstance(error, BadInput) else "must be a picture in base64"
            raise BadInput(f"photos[{i}].jpeg_base64 ({photo.id})", rule, None, "JPEG in base64") from None
    building = job.building
    if building is not None:
        underlays = tuple(
            replace(u, photo_id=taken[u.photo_id].id) if u.photo_id in taken else u for u in building.underlays
        )
        building = replace(building, underlays=underlays)
    return replace(job, building=building, photos=()), list(taken.values())
