"""The shop's own photo under the map of screws, by the four corners of the device in it."""

import io

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from PIL import Image, ImageDraw

from rainfront.work.models import OpenPhoto
from tests.builders import make_job
from tests.web.test_pages import Signed


class PhotoUnderTheScrews(Signed):
    """A photo of a tablet that lies askew in it: its corners, and a white spot in the middle of the device."""

    CORNERS = ((120, 90), (520, 60), (560, 430), (90, 400))

    def taken(self):
        made = Image.new("RGB", (640, 480), "#203040")
        pen = ImageDraw.Draw(made)
        pen.polygon(self.CORNERS, fill="#805020")
        # Where the diagonals cross is the middle of the device, however the camera looked at it.
        (ax, ay), (bx, by), (cx, cy), (dx, dy) = self.CORNERS
        share = ((dx - ax) * (dy - by) - (dy - ay) * (dx - bx)) / ((cx - ax) * (dy - by) - (cy - ay) * (dx - bx))
        x, y = ax + share * (cx - ax), ay + share * (cy - ay)
        pen.ellipse((x - 9, y - 9, x + 9, y + 9), fill="white")
        out = io.BytesIO()
        made.save(out, "PNG")
        return SimpleUploadedFile("open.png", out.getvalue())

    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user, kind="tablet", carrier="none")
        cls.page = reverse("work:open_photo", args=[cls.job.pk])
        cls.screws = reverse("work:screws", args=[cls.job.pk])

    def press(self, corners):
        for x, y in corners:
            answer = self.client.post(self.page, {"at.x": str(x), "at.y": str(y)})
        return answer

    def test_it_is_laid_into_the_outline_by_its_corners_and_lies_under_every_job_of_the_model(self):
        self.assertContains(self.client.get(self.screws), "Put our own photo under it")
        self.client.post(self.page, {"file": self.taken()})
        self.assertContains(self.client.get(self.page), "Press the upper left corner")
        self.press(self.CORNERS[:1])
        self.assertContains(self.client.get(self.page), "Press the upper right corner")
        self.assertNotContains(self.client.get(self.screws), "upright.jpg")
        self.assertRedirects(self.press(self.CORNERS[1:]), self.screws)
        other = make_job(self.user, kind="tablet", carrier="none")
        where = reverse("work:picture", args=[OpenPhoto.objects.get().pk, "upright"])
        self.assertContains(self.client.get(reverse("work:screws", args=[other.pk])), where)
        self.assertContains(self.client.get(reverse("work:outline", args=[other.pk])), 'fill="none"')
        straight = Image.open(io.BytesIO(b"".join(self.client.get(where).streaming_content)))
        self.assertEqual(straight.size, (3 * 340, 3 * 460))
        middle, corner, beside = (straight.getpixel(at) for at in ((510, 690), (45, 45), (8, 690)))
        self.assertGreater(min(middle), 200)
        self.assertGreater(corner[0], 100)
        self.assertLess(beside[0], 70)

    def test_corners_in_another_order_or_beside_the_photo_are_refused_and_can_be_told_anew(self):
        self.client.post(self.page, {"file": self.taken()})
        self.assertContains(self.press([(900, 10)]), "beside the photo", status_code=422)
        wrong = [self.CORNERS[number] for number in (1, 0, 3, 2)]
        self.assertContains(self.press(wrong), "not the corners in their order", status_code=422)
        self.assertEqual(len(OpenPhoto.objects.get().corners), 3)
        self.client.post(self.page, {"act": "anew"})
        self.press(self.CORNERS)
        self.client.post(self.page, {"file": self.taken()})
        self.press(self.CORNERS)
        self.assertEqual(OpenPhoto.objects.of_model(self.job.model_name).count(), 1)
        self.client.post(self.page, {"act": "remove"})
        self.assertNotContains(self.client.get(self.screws), "upright.jpg")
        self.assertContains(self.client.post(self.page), "no picture was sent", status_code=422)
