"""Photos: what is refused, what is written anew, marks on them."""

import io
import struct
import time
import zlib
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

from django.core.files.storage import default_storage
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from rainfront.inside.models import Mark, Photo
from rainfront.jobs.actions import record_line
from rainfront.jobs.models import Entry
from rainfront.jobs.writing import JobError
from rainfront.web import apart, decoding
from tests.builders import NOW, make_job
from tests.web.test_inside import InsideTest


def picture(kind="JPEG", size=(640, 480), **extra):
    out = io.BytesIO()
    Image.new("RGB", size, "#335544").save(out, kind, **extra)
    return out.getvalue()


def huge_png():
    """A PNG whose header says 40 megapixels; its body is next to nothing."""

    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", 8000, 5000, 8, 0, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 8001)) + chunk(b"IEND", b"")
    )


class Photos(InsideTest):
    def add(self, raw, name="board.jpg", **data):
        upload = SimpleUploadedFile(name, raw, "image/jpeg")
        return self.client.post(self.to("add_photo"), {"file": upload, "caption": "main board", **data})

    def test_metadata_goes_the_picture_stands_upright_and_is_scaled(self):
        exif = Image.Exif()
        exif[0x0112], exif[0x010F], exif[0x8825] = 6, "camera", {1: "N"}
        self.add(picture(size=(4000, 1000), exif=exif))
        photo = Photo.objects.get()
        made = Image.open(photo.file.open("rb"))
        self.assertEqual((made.size, (photo.width, photo.height)), ((512, 2048), (512, 2048)))
        self.assertEqual(dict(made.getexif()), {})
        self.assertNotIn(b"camera", photo.file.open("rb").read())
        answer = self.client.get(self.to("file", photo.pk))
        self.assertEqual(answer["Content-Type"], "image/jpeg")
        self.client.logout()
        self.assertEqual(self.client.get(self.to("file", photo.pk)).status_code, 302)

    def test_what_is_no_picture_is_refused_and_the_caption_stays(self):
        cases = [
            (b"just a text", "board.png", "not a picture"),
            (huge_png(), "big.png", "40 megapixels"),
            (picture()[:400], "cut.jpg", "broken off"),
            (picture(size=(8, 8)), "dot.jpg", "show nothing"),
            (picture("BMP"), "old.bmp", "not a picture"),
        ]
        for raw, name, says in cases:
            with self.subTest(name=name):
                page = self.add(raw, name)
                self.assertContains(page, says, status_code=422)
                self.assertContains(page, 'value="main board"', status_code=422)
        self.assertFalse(Photo.objects.exists())

    def test_what_was_written_into_it_stays_out_and_cannot_hold_the_worker(self):
        text = PngInfo()
        text.add_text("comment", "where it was taken " * 9000)
        text.add_text("dpi", "not two numbers")
        begun = time.monotonic()
        for raw, name in (
            (picture("PNG", pnginfo=text), "chunk.png"),
            (picture(comment=b"whose it is"), "comment.jpg"),
            (picture(exif=b"Exif\0\0MM\0*\0\0\0\x08\0\1\1\x12\0\3\xff\xff\xff\xff"), "exif.jpg"),
            (picture("PNG", size=(4990, 4990)), "large.png"),
        ):
            with self.subTest(name=name):
                self.assertEqual(self.add(raw, name).status_code, 302)
                stored = Photo.objects.first().file.open("rb").read()
                self.assertFalse(any(word in stored for word in (b"where it was", b"whose it is", b"two numbers")))
        self.assertLess(time.monotonic() - begun, 3 * decoding.PICTURE.seconds)

    def test_a_picture_that_takes_too_long_or_too_much_is_refused_in_words(self):
        for limit, says in (
            (patch.object(decoding, "PICTURE", replace(decoding.PICTURE, seconds=0.001)), "within"),
            (patch.object(apart, "ROOT", Path("/")), "more memory or time"),
        ):
            with self.subTest(says=says), limit:
                self.assertContains(self.add(picture()), says, status_code=422)
        self.assertFalse(Photo.objects.exists())

    def test_a_removed_photo_leaves_the_disk_and_a_refused_one_never_stays(self):
        self.add(picture())
        photo = Photo.objects.get()
        with self.captureOnCommitCallbacks(execute=True):
            self.client.post(self.to("remove_photo", photo.pk))
        self.assertFalse(default_storage.exists(photo.file.name))
        self.add(picture())
        folder = Photo.objects.standing().get().file.name.rpartition("/")[0]
        kept = default_storage.listdir(folder)[1]
        with patch("rainfront.jobs.writing.Log.event", side_effect=JobError("no", "", "")):
            self.assertEqual(self.add(picture()).status_code, 422)
        self.assertTrue(kept)
        self.assertEqual(default_storage.listdir(folder)[1], kept)

    def test_it_hangs_on_an_observation_and_the_log_shows_it(self):
        entry = record_line(self.job, "port lint", user=self.user, now=NOW)
        self.assertContains(
            self.client.get(self.to("inside") + f"?entry={entry.pk}"), "Add a photo of: Look into the port lint"
        )
        self.add(picture(), entry=entry.pk)
        self.assertEqual(Photo.objects.get().entry, entry)
        for name in ("bench", "record"):
            self.assertContains(self.client.get(reverse(f"jobs:{name}", args=(self.job.pk,))), 'class="attached"', 1)
        other = make_job(self.user)
        upload = SimpleUploadedFile("a.jpg", picture(), "image/jpeg")
        answer = self.client.post(
            reverse("inside:add_photo", args=(other.pk,)), {"file": upload, "caption": "x", "entry": entry.pk}
        )
        self.assertEqual(answer.status_code, 404)

    def test_marks_are_numbered_and_hot_spots_are_evidence_that_follows_them(self):
        self.add(picture())
        photo = Photo.objects.get()
        self.client.post(self.to("mark", photo.pk), {"x": "10", "y": "20", "text": "scratch"})
        self.client.post(self.to("mark", photo.pk), {"x": "40", "y": "50", "part": "port_ic", "how": "spray"})
        self.client.post(self.to("mark", photo.pk), {"x": "70", "y": "50", "part": "charge_ic", "how": "picture"})
        self.assertEqual(list(Mark.objects.values_list("number", flat=True)), [1, 2, 3])
        standing = Entry.objects.get(name="hot_spot", struck_at__isnull=True)
        self.assertEqual(standing.signs, ["port_ic", "charge_ic"])
        self.assertIn("freeze spray", standing.text)
        self.client.post(self.to("unmark", photo.pk, 3))
        self.assertEqual(Entry.objects.get(name="hot_spot", struck_at__isnull=True).signs, ["port_ic"])
        self.client.post(self.to("remove_photo", photo.pk))
        self.assertFalse(Entry.objects.filter(name="hot_spot", struck_at__isnull=True).exists())
        self.assertEqual(Entry.objects.filter(name="hot_spot").count(), 3)

    def test_a_mark_beside_the_picture_or_without_a_word(self):
        self.add(picture())
        photo = Photo.objects.get()
        for data in ({"x": "140", "y": "5", "text": "a"}, {"x": "40", "y": "5"}):
            self.assertEqual(self.client.post(self.to("mark", photo.pk), data).status_code, 422)
        self.assertFalse(Mark.objects.exists())
