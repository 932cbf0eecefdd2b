"""A device that the shop bought to sell: taken in without a customer, with a limit and a ledger of its own."""

from decimal import Decimal

from django.urls import reverse

from rainfront.jobs.models import Job
from tests.builders import judged
from tests.web.test_pages import DETAILS as TYPED
from tests.web.test_pages import Signed


class OwnDevice(Signed):
    def test_a_device_of_the_shops_own_has_a_ledger_instead_of_a_customer(self):
        page = reverse("jobs:take_in")
        self.assertContains(self.client.post(page, {**TYPED, "customer": ""}), "Write who brought it", status_code=422)
        self.client.post(page, {**TYPED, "customer": "", "value": "140", "bought_for": "45.50"})
        own = Job.objects.latest("pk")
        self.assertEqual((own.customer, own.limit, own.is_own), ("the shop", Decimal("94.50"), True))
        self.assertContains(self.client.get(own.get_absolute_url()), "the shop's own")
        counter_page = reverse("counter:order", args=[own.pk])
        ledger = self.client.get(counter_page).context["page"].ledger
        self.assertEqual((ledger.total, ledger.left, ledger.loses), ("¤45.50", "¤94.50", False))
        self.client.post(page, {**TYPED, "value": "40", "bought_for": "60", "customer": ""})
        dear = Job.objects.latest("pk")
        self.assertEqual(dear.limit, 0)
        ledger = self.client.get(reverse("counter:order", args=[dear.pk])).context["page"].ledger
        self.assertTrue(ledger.loses)
        # Whatever goes over what it may cost needs a reason, and no customer is asked.
        route = next(term.id for term in judged(dear).advice.plan if judged(dear).over_limit(term))
        refused = self.client.post(reverse("jobs:choose", args=[dear.pk, route]), {"reason": "as seen"})
        self.assertContains(refused, "say why it goes on all the same", status_code=422)
        self.assertNotContains(refused, "quote", status_code=422)
