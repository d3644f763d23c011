"""Photographs as they come from cameras and phones: decoded within limits, turned upright, as sRGB."""

from __future__ import annotations

import base64
import hashlib
import io
import warnings
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.language import tr

if TYPE_CHECKING:
    from PIL.Image import Image

MOST_BYTES: Final = 200_000_000
MOST_PIXELS: Final = 110_000_000
"""More than any camera of this trade has; each takes three bytes, and more while the picture is turned."""
LONGEST_PX: Final = 1400
QUALITY: Final = 88
"""Of pictures inside a page."""
TAKEN, EXPOSURE, ORIENTATION, RENDERED = 36867, 33434, 274, 41985
PLAIN: Final = (0, None)
"""What cameras write that did nothing but take the picture (Exif 2.3, CustomRendered; from memory)."""


class PhotoError(ValueError):
    """A file is no picture that can be read; the message is one sentence for the user."""


@dataclass(frozen=True, slots=True)
class Photo:
    """A photograph.

    Parameters
    ----------
    pixels : array of shape (height, width, 3)
        sRGB.
    sha256 : str
        Of the file, as it lies on the disk.
    taken : datetime or None
        By the camera's own clock, without a zone.
    exposure_s : float or None
    hdr : bool
        Whether the camera says that it made the picture of more than one exposure.
    """

    pixels: NDArray[np.uint8]
    sha256: str
    taken: datetime | None = None
    exposure_s: float | None = None
    hdr: bool = False


def read_photo(path: Path) -> Photo:
    """Read a photograph: JPEG, PNG, TIFF, WebP or HEIC, whatever its name ends with.

    Parameters
    ----------
    path : Path
        Of the file.

    Raises
    ------
    PhotoError
        It cannot be read, is no picture, or is too large.
    """
    from PIL import Image, UnidentifiedImageError

    _with_heif()
    try:
        size = path.stat().st_size
        if size > MOST_BYTES:
            raise PhotoError(
                tr(
                    "it is larger than {MOST_BYTES} MB; save a smaller copy",
                    MOST_BYTES=MOST_BYTES // 1_000_000,
                )
            )
        data = path.read_bytes()
    except OSError as error:
        raise PhotoError(tr("it cannot be read ({reason})", reason=error.strerror or error)) from None
    if not data:
        raise PhotoError(tr("it is empty"))
    with warnings.catch_warnings():
        # The limit is our own, and held before anything is decoded; what decoders complain of ends in a
        # sentence, or does no harm.
        warnings.simplefilter("ignore")
        Image.MAX_IMAGE_PIXELS = None
        try:
            image = Image.open(io.BytesIO(data))
            _check(image)
            told = _told(image)
            pixels = np.asarray(_upright(_rgb(image)), dtype=np.uint8)
        except PhotoError:
            raise
        except UnidentifiedImageError:
            raise PhotoError(tr("it is no picture; JPEG, PNG, TIFF, WebP and HEIC can be read")) from None
        except Exception as error:  # noqa: BLE001 - decoders of hostile files raise anything
            raise PhotoError(
                tr("it is damaged, or cut off ({type}); copy it again", type=type(error).__name__)
            ) from None
    return Photo(pixels, hashlib.sha256(data).hexdigest(), *told)


def _with_heif() -> None:
    from pillow_heif import register_heif_opener

    register_heif_opener()


def _upright(image: Image) -> Image:
    """Turn a picture as the camera was held; junk in place of that says nothing."""
    from PIL import ImageOps

    try:
        return ImageOps.exif_transpose(image)
    except Exception:  # noqa: BLE001 - what is beside the picture may be anything
        return image


def _check(image: Image) -> None:
    width, height = image.size
    if width < 1 or height < 1:
        raise PhotoError(tr("it has no pixels"))
    if width * height > MOST_PIXELS:
        most = tr("save it with at most {MOST_PIXELS}", MOST_PIXELS=MOST_PIXELS // 1_000_000)
        raise PhotoError(
            tr("it has {width:.0f} million pixels; {most}", width=width * height / 1e6, most=most)
        )
    if getattr(image, "n_frames", 1) > 1:
        raise PhotoError(tr("it holds several pictures; save the one that counts by itself"))
    if image.mode == "CMYK":
        raise PhotoError(tr("its colours are those of a printing press (CMYK); save it as RGB"))


def _rgb(image: Image) -> Image:
    """Return a picture in sRGB of eight bits."""
    from PIL import Image as Images

    if image.mode.startswith("I") or image.mode == "F":
        # Pillow itself would cut sixteen bits off at 255.
        values = np.asarray(image, dtype=np.float64)
        most = 65535.0 if values.max(initial=0.0) > 255 else 255.0
        grey = np.clip(np.round(values / most * 255), 0, 255).astype(np.uint8)
        made = Images.fromarray(np.repeat(grey[:, :, None], 3, axis=2))
        exif = image.getexif()
        if ORIENTATION in exif:
            made.getexif()[ORIENTATION] = exif[ORIENTATION]
        return made
    return _managed(image).convert("RGB") if image.mode != "RGBA" else image.convert("RGB")


def _managed(image: Image) -> Image:
    """Bring the colours of another profile to sRGB; junk in its place says nothing."""
    from PIL import ImageCms

    profile = image.info.get("icc_profile")
    if not profile or image.mode != "RGB":
        return image
    try:
        own = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        if "srgb" in (ImageCms.getProfileDescription(own) or "").lower():
            return image
        turned = ImageCms.profileToProfile(image, own, ImageCms.createProfile("sRGB"), outputMode="RGB")
    except (ImageCms.PyCMSError, OSError, TypeError, ValueError):
        return image
    return turned or image


def _told(image: Image) -> tuple[datetime | None, float | None, bool]:
    """When it was taken and how long exposed, as the camera says; where it was taken is nobody's business."""
    try:
        inner = image.getexif().get_ifd(34665)
        text, exposure, rendered = (inner.get(tag) for tag in (TAKEN, EXPOSURE, RENDERED))
    except Exception:  # noqa: BLE001 - what is beside the picture may be anything, and is not needed
        return None, None, False
    taken = None
    if isinstance(text, str):
        try:
            taken = datetime.strptime(text.strip("\0 "), "%Y:%m:%d %H:%M:%S")
        except ValueError:
            taken = None
    try:
        seconds = float(exposure) if exposure else None
    except (TypeError, ValueError, ZeroDivisionError):
        seconds = None
    return taken, seconds if seconds and 0 < seconds < 1e5 else None, rendered not in PLAIN


def encoded(pixels: NDArray[np.uint8]) -> str:
    """Return a picture as text for a page: encoded anew, so that nothing of the camera is left beside it.

    Parameters
    ----------
    pixels : array of shape (height, width, 3)
        sRGB; a large one is made smaller.
    """
    return "data:image/jpeg;base64," + base64.b64encode(jpeg(smaller(pixels))).decode()


def smaller(pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return a picture that is small enough for a page; shape (height, width, 3)."""
    from PIL import Image

    image = Image.fromarray(pixels)
    image.thumbnail((LONGEST_PX, LONGEST_PX))
    return np.asarray(image)


def jpeg(pixels: NDArray[np.uint8]) -> bytes:
    """Return a picture as JPEG with nothing beside it; shape (height, width, 3)."""
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(pixels).save(out, format="JPEG", quality=QUALITY)
    return out.getvalue()


def write_png(path: Path, pixels: NDArray[np.uint8]) -> None:
    """Write a picture as PNG, with nothing beside it.

    Parameters
    ----------
    path : Path
        Where to.
    pixels : array of shape (height, width, 3)
        sRGB.

    Raises
    ------
    OSError
        It cannot be written.
    """
    from PIL import Image

    Image.fromarray(pixels).save(path, format="PNG")
