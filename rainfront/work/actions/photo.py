"""The shop's own photo of an open device under its map of screws: laid into the outline by its four corners."""

from __future__ import annotations

from datetime import datetime
from io import BytesIO

from django.core.files.base import ContentFile
from django.db import transaction
from PIL import Image

from chargepath.base.errors import ReadingError
from chargepath.board.overlay import fit
from rainfront.jobs.models import Job
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.web.decoding import clean_apart
from rainfront.web.files import files_go_with_it
from rainfront.web.scenes.screw_map import MARGIN, SIZES
from rainfront.work.models import OpenPhoto

CORNERS = ("upper left", "upper right", "lower right", "lower left")
# The photo is kept at so many times the size of the outline.
FINER = 3


@needs(Right.TEACH)
def keep_open_photo(job: Job, raw: bytes, *, user: User, now: datetime) -> OpenPhoto:
    """Keep a photo of the model of a job lying open; it is used once its four corners are told.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        It is no picture; nothing is stored.

    """
    picture, width, height = clean_apart(raw)
    with files_go_with_it(), transaction.atomic():
        made: OpenPhoto = OpenPhoto.objects.create(
            model_name=job.model_name,
            kind=job.kind,
            file=ContentFile(picture, name="open.jpg"),
            width=width,
            height=height,
            by=user,
            at=now,
        )
    return made


@needs(Right.TEACH)
def add_corner(photo: OpenPhoto, x: float, y: float, *, user: User, now: datetime) -> OpenPhoto:
    """Say where the next corner of the device is in the photo [pixels]; with the fourth it is laid into the outline.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        It is beside the photo, or the four are not the corners of a device; the last one is not kept.

    """
    if not (0 <= x <= photo.width and 0 <= y <= photo.height):
        raise ReadingError("that is beside the photo", "corner", "press the corner of the device in the photo")
    with files_go_with_it(), transaction.atomic():
        fresh: OpenPhoto = OpenPhoto.objects.select_for_update().get(pk=photo.pk)
        if len(fresh.corners) >= len(CORNERS):
            raise ReadingError("its four corners are told", "corner", "begin anew to tell them again")
        fresh.corners = [*fresh.corners, [round(x, 1), round(y, 1)]]
        if len(fresh.corners) == len(CORNERS):
            fresh.upright.save("upright.jpg", ContentFile(_upright(fresh)), save=False)
            earlier = OpenPhoto.objects.of_model(fresh.model_name).filter(pk__lt=fresh.pk)
            earlier.update(replaced_at=now)
        fresh.save()
    return fresh


@needs(Right.TEACH)
def begin_corners_anew(photo: OpenPhoto, *, user: User) -> None:
    """Forget the corners that were told of a photo; it is off the map until they are told again."""
    with transaction.atomic():
        fresh: OpenPhoto = OpenPhoto.objects.select_for_update().get(pk=photo.pk)
        if fresh.upright:
            fresh.upright.delete(save=False)
        fresh.corners, fresh.upright = [], ""
        fresh.save(update_fields=["corners", "upright"])


@needs(Right.TEACH)
def remove_open_photo(photo: OpenPhoto, *, user: User) -> None:
    """Take a photo away; an earlier one does not come back by itself."""
    with transaction.atomic():
        for file in (photo.file, photo.upright):
            if file:
                file.delete(save=False)
        OpenPhoto.objects.filter(pk=photo.pk).delete()


def _upright(photo: OpenPhoto) -> bytes:
    """The photo as it looks straight from above, the device filling the outline, as JPEG."""
    width, height = (side * FINER for side in SIZES[photo.kind])
    edge = MARGIN * FINER
    outline = [(edge, edge), (width - edge, edge), (width - edge, height - edge), (edge, height - edge)]
    found = fit(outline, [(x, y) for x, y in photo.corners])
    if found.mirrored:
        raise ReadingError(
            "these are not the corners in their order", "corner", "upper left, upper right, lower right, lower left"
        )
    with photo.file.open("rb") as file:
        picture = Image.open(BytesIO(file.read()))
        coefficients = (found.matrix / found.matrix[2, 2]).ravel()[:8].tolist()
        straight = picture.transform(
            (width, height), Image.Transform.PERSPECTIVE, coefficients, Image.Resampling.BICUBIC
        )
    out = BytesIO()
    straight.convert("RGB").save(out, "JPEG", quality=82)
    return out.getvalue()
