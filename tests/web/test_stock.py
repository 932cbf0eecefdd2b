"""The shelf: parts come in, repairs use them, somebody counts; the advice waits for nothing that lies there."""

from datetime import timedelta
from decimal import Decimal

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from chargepath.base.errors import ReadingError
from chargepath.decision.shelf import what_to_do
from chargepath.knowledge.loader import shipped
from rainfront.demo.proofs import TICKED_LATE
from rainfront.jobs import actions
from rainfront.jobs.judging import parts_used
from rainfront.proof import actions as proof_actions
from rainfront.stock import actions as stock_actions
from rainfront.stock.adapters import best_of
from rainfront.stock.models import Donor, Item, Move
from rainfront.work import actions as work_actions
from rainfront.workshop.actions import set_part
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import PartPrice
from tests.builders import NOW, judged, judged_job, make_job
from tests.web.test_pages import Signed


class StockTest(Signed):
    def take_in(self, **details):
        data = {"route": "swap_battery", "family": "", "count": "3", "price": "", **details}
        return self.client.post(reverse("stock:shelf"), data)

    def item(self):
        return Item.objects.get()

    def keep(self, **details):
        """What the page of the one item shows, with something corrected."""
        url = reverse("stock:item", args=[self.item().pk])
        shown = self.client.get(url).context["form"].initial
        return self.client.post(url, {"which": "keep", **shown, **details})

    def count(self, there):
        return self.keep(there=there)

    def shelf(self, **details):
        return judged_job(make_job(self.user, **details)).shelf

    def term(self, name="swap_battery", **details):
        return next(t for t in judged(make_job(self.user, **details)).advice.routes if t.id == name)

    def repair(self, job, route="swap_battery", now=NOW):
        made = actions.choose_route(job, route, "as agreed", user=self.user, now=now)
        work_actions.do_rest(made, reasons=TICKED_LATE, user=self.user, now=now)
        return work_actions.finish_repair(made, "", user=self.user, now=now)


class TheShelf(StockTest):
    def test_what_came_in_lies_there_and_nobody_waits_for_it(self):
        self.assertEqual(self.term().act.days, shipped().routes["swap_battery"].days)
        self.take_in(price="21.40")
        term = self.term()
        self.assertEqual((self.shelf()["swap_battery"], term.act.days, term.act.part), (3, 0.0, 21.4))
        self.count("0")
        self.assertGreater(self.term().act.days, 0)
        costs = shipped().costs
        self.assertAlmostEqual(
            self.term().act.waiting, self.term().act.days * costs.day_price + 5 * costs.wait_per_minute
        )

    def test_a_battery_that_comes_in_is_read_before_it_lies_on_the_shelf(self):
        words = "Under 3.5 V it lay too long and goes back"
        self.assertContains(self.client.get(reverse("stock:shelf")), words)
        self.take_in()
        self.assertContains(self.client.get(reverse("stock:item", args=[self.item().pk])), words)

    def test_a_models_own_part_is_not_another_models(self):
        self.take_in(family="Orvane D2", count="2")
        self.take_in(family="orvane d2", count="1")
        self.assertEqual(self.shelf(model_name="Orvane D2"), {"swap_battery": 3})
        self.assertEqual(self.shelf(model_name="Tarn 4"), {})

    def test_a_new_price_keeps_the_days_and_what_it_is_sold_with(self):
        set_part("swap_battery", "", Decimal("30"), 4, "reseat_links", user=self.user, now=NOW)
        self.take_in(price="18.00")
        self.count("0")
        term = self.term()
        self.assertEqual(term.act.days, 4)
        self.assertEqual(
            parts_used(make_job(self.user), "swap_battery", Shop.current()), ("swap_battery", "reseat_links")
        )

    def test_a_finished_repair_takes_its_part_and_a_struck_one_puts_it_back(self):
        self.take_in()
        job = make_job(self.user)
        done = self.repair(job)
        self.assertEqual(self.shelf()["swap_battery"], 2)
        page = self.client.get(reverse("stock:shelf"))
        self.assertContains(page, "used, ")
        self.assertContains(page, reverse("jobs:bench", args=[job.pk]))
        actions.strike_entry(done.entry, "wrong job", user=self.user, now=NOW + timedelta(minutes=1))
        self.assertEqual(self.shelf()["swap_battery"], 3)

    def test_each_of_two_repairs_struck_out_puts_its_own_part_back(self):
        self.take_in()
        job = make_job(self.user)
        done = []
        for step in range(2):
            done.append(self.repair(job, now=NOW + timedelta(minutes=60 * step)))
            proof_actions.record_proof(
                job, {"amps": 0.05, "volts": 5.0}, user=self.user, now=NOW + timedelta(minutes=60 * step + 30)
            )
            proof_actions.fail_proof(job, user=self.user, now=NOW + timedelta(minutes=60 * step + 30))
        self.assertEqual(self.shelf()["swap_battery"], 1)
        for count, repair in enumerate(done, 2):
            actions.strike_entry(repair.entry, "wrong job", user=self.user, now=NOW + timedelta(hours=3))
            self.assertEqual(self.shelf()["swap_battery"], count)

    def test_a_repair_whose_part_is_not_kept_moves_nothing(self):
        self.repair(make_job(self.user))
        self.assertFalse(Move.objects.exists())

    def test_a_part_is_binned_with_a_reason_only_and_a_model_takes_its_own_part_first(self):
        self.take_in()
        for why, count in (("", 1), ("bent", 0), ("bent", 9)):
            with self.assertRaises(ReadingError):
                stock_actions.bin_parts(self.item(), count, why, user=self.user, now=NOW)
        self.assertEqual(self.item().count, 3)
        own = Item.objects.create(route="swap_battery", fits=["Orvane D2"], count=1)
        kind = Item.objects.create(route="swap_battery", fits=["phone"], count=1)
        rows = [self.item_of(None), kind, own]
        self.assertEqual(best_of(rows, "phone", "Orvane D2", "usb_c"), own)
        self.assertEqual(best_of(rows, "phone", "Tarn 4", "usb_c"), kind)

    def item_of(self, fits):
        return Item.objects.filter(fits=fits or []).get()

    def test_a_job_reserves_one_part_and_what_it_gives_up_is_free_and_held_no_more(self):
        self.take_in()
        job = make_job(self.user)
        asked = (job.pk, "swap_battery", job.kind, job.model_name, job.connector)
        self.assertTrue(stock_actions.reserve(*asked, user=self.user, now=NOW))
        self.assertTrue(stock_actions.reserve(*asked, user=self.user, now=NOW))
        self.assertEqual((self.item().count, self.item().held), (2, 1))
        stock_actions.release(job.pk, "swap_battery", user=self.user, now=NOW)
        self.assertEqual((self.item().count, self.item().held), (3, 0))

    def test_a_repair_that_counts_again_takes_its_part_once(self):
        self.take_in()
        job = make_job(self.user)
        done = self.repair(job)
        actions.strike_entry(done.entry, "wrong job", user=self.user, now=NOW)
        actions.restore_entry(done.entry, user=self.user, now=NOW)
        self.assertEqual(self.item().count, 2)
        self.assertIsNone(stock_actions.take_again(job.pk, "swap_battery", user=self.user, now=NOW))
        self.assertEqual(self.item().count, 2)

    def test_counting_sets_what_is_there_and_keeps_what_was(self):
        self.take_in()
        self.count("7")
        self.assertEqual(self.shelf()["swap_battery"], 7)
        self.assertEqual([move.change for move in Move.objects.all()], [4, 3])

    def test_bad_input_says_what_would_be_right_and_moves_nothing(self):
        for details, says in (
            ({"count": "0"}, "1 to 10,000"),
            ({"count": "x"}, "whole number"),
            ({"route": "clean_port"}, "valid choice"),
            ({"price": "-1"}, "0 to 100,000"),
        ):
            with self.subTest(details=details):
                self.assertContains(self.take_in(**details), says, status_code=422)
        self.assertFalse(Move.objects.exists())
        self.take_in()
        for there, says in (("many", "whole number"), ("-1", "0 to 10,000"), ("2,5", "whole number")):
            self.assertContains(self.count(there), says, status_code=422)
        self.assertContains(self.keep(breaks="ten cheaper"), "as in 10: 2,40", status_code=422)
        self.assertEqual((self.item().count, Move.objects.count()), (3, 1))

    def test_a_part_fits_several_models_and_only_its_own_connector(self):
        self.take_in(route="replace_port", family="Orvane D2, Tarn 4", connector="usb_c", count="2")
        for model, connector, there in (
            ("tarn 4", "usb_c", {"replace_port": 2}),
            ("Orvane D2", "usb_c", {"replace_port": 2}),
            ("Orvane D2", "micro_b", {}),
            ("Quillan P2", "usb_c", {}),
        ):
            with self.subTest(model=model, connector=connector):
                self.assertEqual(self.shelf(model_name=model, connector=connector), there)

    def test_what_is_next_says_that_its_part_is_missing_or_the_last_one(self):
        lines = ("port clean", "i 0.0 5.0 12%", "wiggle drops", "try swap_carrier yes")
        job = make_job(self.user, lines, backup="done")
        told = {0: "None of its parts lies on the shelf", 1: "It takes the last part.", 2: ""}
        self.take_in(route="swap_carrier", family=job.model_name, count="2")
        for count in (2, 1, 0):
            self.count(count)
            page = self.client.get(job.get_absolute_url())
            self.assertContains(page, "Repair: Swap the sub-board")
            for other, words in told.items():
                if words:
                    self.assertEqual(words in page.content.decode(), other == count, (other, count))

    def test_a_chosen_repair_reserves_the_last_part_a_dropped_one_sets_it_free(self):
        self.take_in(count="1")
        first, second = make_job(self.user), make_job(self.user)
        repair = actions.choose_route(first, "swap_battery", "agreed", user=self.user, now=NOW)
        there = [judged_job(job).shelf["swap_battery"] for job in (first, second)]
        self.assertEqual((self.item().count, *there), (0, 1, 0))
        for job, says in ((first, "the last part on the shelf"), (second, "None of its parts lies")):
            self.assertContains(self.client.get(reverse("jobs:choose", args=[job.pk, "swap_battery"])), says)
        actions.drop_repair(repair, user=self.user, now=NOW)
        self.assertEqual((self.item().count, judged_job(second).shelf["swap_battery"]), (1, 1))
        self.repair(second)
        self.assertEqual(
            [move.why for move in Move.objects.order_by("pk")], ["in", "reserved", "freed", "reserved", "freed", "used"]
        )
        self.assertEqual(self.item().count, sum(move.change for move in Move.objects.all()))

    def test_the_last_part_used_twice_leaves_nothing_and_says_so(self):
        self.take_in(count="1")
        self.repair(make_job(self.user))
        self.repair(make_job(self.user))
        self.assertEqual((self.item().count, Move.objects.first().change), (0, 0))
        self.assertContains(self.client.get(reverse("stock:shelf")), "count again")

    def test_parts_are_binned_with_a_reason_and_come_off_donor_boards(self):
        self.take_in(count="2")
        url = reverse("stock:item", args=[self.item().pk])
        self.assertEqual(self.client.post(url, {"which": "bin", "count": "1", "why": ""}).status_code, 422)
        self.assertContains(
            self.client.post(url, {"which": "bin", "count": "9", "why": "bent"}), "lies there any more", status_code=422
        )
        self.client.post(url, {"which": "bin", "count": "1", "why": "pins bent"})
        self.assertEqual((self.item().count, Move.objects.first().note), (1, "pins bent"))
        self.client.post(reverse("stock:donor"), {"name": "Orvane D2, cracked", "note": ""})
        board = Donor.objects.get()
        self.assertContains(self.take_in(why="donor"), "Which donor board", status_code=422)
        self.take_in(why="donor", donor=str(board.pk), count="1")
        self.assertContains(self.client.get(reverse("stock:shelf")), "1 taken")

    def test_a_correction_is_stored_as_a_whole_or_not_at_all(self):
        self.take_in(family="Orvane D2", price="20")
        many = ", ".join(f"M{number}" for number in range(21))
        self.assertContains(self.keep(there="9", fits=many), "up to twenty", status_code=422)
        self.assertEqual((self.item().count, self.item().fits, Move.objects.count()), (3, ["Orvane D2"], 1))

    def test_a_donor_board_with_nothing_left_goes_off_the_list(self):
        self.client.post(reverse("stock:donor"), {"name": "Tarn 4, cracked"})
        self.client.post(reverse("stock:donor"), {"gone": str(Donor.objects.get().pk)})
        self.assertContains(self.client.get(reverse("stock:shelf")), "No board is kept for parts")
        self.assertEqual(Donor.objects.count(), 1)

    def test_what_to_order_takes_the_price_of_so_many(self):
        self.take_in(count="1", price="20")
        self.keep(minimum="12", supplier="Quay parts", breaks="10: 15,50; 50: 12")
        page = self.client.get(reverse("stock:shelf"))
        self.assertContains(page, "Quay parts")
        self.assertContains(page, "15.50 each")
        self.assertContains(page, "170.50")

    def test_the_shelf_goes_out_and_comes_in_corrected(self):
        self.take_in(family="Orvane D2", price="21,40")
        text = self.client.get(reverse("stock:export")).content.decode()
        text = (
            text.replace(",3,0,21.40,", ",5,2,19.90,")
            + "Swap the moon,,,1,0,1,1,\nReplace the port,Tarn 4,usb_c,4,1,2.5,3,Quay\n"
        )
        page = self.client.post(reverse("stock:import"), {"file": SimpleUploadedFile("shelf.csv", text.encode())})
        self.assertContains(page, "&#x27;Swap the moon&#x27; is no part of a repair", status_code=422)
        first, second = Item.objects.order_by("pk")
        self.assertEqual((first.count, first.minimum, second.count, second.connector), (5, 2, 4, "usb_c"))
        self.assertEqual(PartPrice.objects.standing().get(route="swap_battery").price, Decimal("19.90"))
        bad = self.client.post(reverse("stock:import"), {"file": SimpleUploadedFile("shelf.csv", b"a,b\n1,2\n")})
        self.assertContains(bad, "names no part and no count", status_code=422)

    def test_decide_says_how_many_lie_there(self):
        self.take_in(route="swap_carrier", count="2")
        job = make_job(self.user, ["i 0.0 5.1 20%"])
        self.assertContains(self.client.get(reverse("jobs:decide", args=[job.pk])), "2 on the shelf")

    def test_the_page_costs_the_same_with_more_on_it(self):
        self.take_in()
        self.client.get(reverse("stock:shelf"))
        with self.assertNumQueries(8):
            self.client.get(reverse("stock:shelf"))
        for model in ("A1", "B2", "C3"):
            self.take_in(family=model)
        self.client.get(reverse("stock:shelf"))
        with self.assertNumQueries(8):
            self.client.get(reverse("stock:shelf"))

    def test_when_to_order(self):
        table = (
            (-1, 0, 1, "count again"),
            (0, 0, 1, "none left"),
            (2, 30, 2, "order: 2"),
            (3, 30, 2, ""),
            (1, 0, 9, ""),
        )
        for there, used, days, says in table:
            with self.subTest(there=there, used=used):
                self.assertRegex(what_to_do(there, used, days), f"^{says}" if says else "^$")
