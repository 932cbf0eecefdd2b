"""Databases of before migrate with what they hold; `test_versions` brings whole versions over."""

from datetime import UTC, datetime
from io import StringIO

from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TestCase, TransactionTestCase

from tests.sizes import exhaustive

NOW = datetime(2026, 3, 1, 9, tzinfo=UTC)


class Whole(TestCase):
    def test_every_change_of_a_model_has_its_migration(self):
        said = StringIO()
        call_command("makemigrations", check_changes=True, dry_run=True, stdout=said)
        self.assertIn("No changes", said.getvalue())


@exhaustive
class Kept(TransactionTestCase):
    def at(self, *targets):
        executor = MigrationExecutor(connection)
        executor.migrate(list(targets))
        return executor.loader.project_state(list(targets)).apps

    def tearDown(self):
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())

    def person(self, apps):
        return apps.get_model("people", "User").objects.create(username="old", initials="O", role="technician")

    def job(self, apps, user):
        fields = {"model_name": "Tarn 4", "customer": "k", "kind": "phone", "connector": "usb_c", "carrier": "none"}
        return apps.get_model("jobs", "Job").objects.create(
            **fields, value=100, complaint="dead", taken_in_by=user, taken_in_at=NOW, changed_at=NOW
        )

    def test_rows_of_before_are_carried_over_step_by_step(self):
        """One journey from the oldest of these states to this one; each leg is checked where it ends."""
        old = self.at(("jobs", "0006_words"), ("stock", "0001_initial"), ("instruments", "0002_words"))
        user = self.person(old)
        job = self.job(old, user)
        made = {"job": job, "chosen_by": user, "chosen_at": NOW}
        repairs = old.get_model("jobs", "Repair").objects
        done = repairs.create(**made, route="clean_port", steps_done=[0, 2], finished_at=NOW)
        still = repairs.create(**made, route="replace_port", steps_done=[])
        self.move_parts(old, user)
        with self.subTest("ticked lines of a repair become steps that were done"):
            new = self.at(("jobs", "0007_work"))
            runs = list(new.get_model("jobs", "StepRun").objects.values_list("repair_id", "step", "done_at"))
            self.assertEqual(runs, [(done.pk, "line 1", NOW), (done.pk, "line 3", NOW)])
            kept = new.get_model("jobs", "Repair").objects.get(pk=done.pk)
            self.assertEqual((kept.reached, kept.picks, kept.job.traits), ("outside", {}, []))
        with self.subTest("moves become those of kinds of parts, and nothing lies below nothing"):
            self.check_parts(self.at(("stock", "0002_items")))
        with self.subTest("readings of a proof are kept by name, and a done repair has taken its part"):
            self.check_proofs(new, (done.pk, still.pk))

    def test_a_sheets_meter_with_an_address_becomes_an_instrument_of_the_bench(self):
        old = self.at(("reference", "0003_good_values"), ("instruments", "0007_profiles"))
        meters = old.get_model("reference", "DiodeMeter").objects
        meters.create(name="typed")
        old.get_model("instruments", "Meter").objects.create(host="192.168.4.21", port=7711, profile="usb_power_meter")
        live = meters.create(name="bench", host="192.168.4.20", port=7712)
        new = self.at(("reference", "0004_bench_instruments"), ("instruments", "0008_bench_instruments"))
        fields = ("name", "profile", "way", "host", "port", "sheet_meter_id", "used")
        found = list(new.get_model("instruments", "BenchInstrument").objects.values_list(*fields))
        self.assertEqual(found, [("bench", "json_multimeter", "tcp", "192.168.4.20", 7712, live.pk, True)])
        last = self.at(("instruments", "0009_records_by_instruments"))
        made = last.get_model("instruments", "BenchInstrument").objects.exclude(sheet_meter=live.pk)
        self.assertEqual(
            list(made.values_list(*fields)),
            [("Power meter", "usb_power_meter", "tcp", "192.168.4.21", 7711, None, True)],
        )

    def move_parts(self, apps, user):
        """Parts of the first kind of shelf, one of them taken though none lay there."""
        for route, family, change, why in (
            ("swap_battery", "Orvane D2", 3, "in"),
            ("swap_battery", "orvane d2", -1, "used"),
            ("swap_battery", "", 2, "in"),
            ("replace_port", "", -1, "used"),
        ):
            apps.get_model("stock", "Move").objects.create(
                route=route, family=family, change=change, why=why, by=user, at=NOW
            )

    def check_parts(self, new):
        items = list(new.get_model("stock", "Item").objects.order_by("pk").values_list("route", "fits", "count"))
        self.assertEqual(items, [("swap_battery", ["Orvane D2"], 2), ("swap_battery", [], 2), ("replace_port", [], 0)])
        rows = new.get_model("stock", "Move").objects.filter(item__route="replace_port").order_by("pk")
        self.assertEqual([(row.change, row.why) for row in rows], [(-1, "used"), (1, "counted")])

    def test_a_step_with_another_id_now_stays_ticked_and_what_hangs_on_it_hangs_on_it_still(self):
        old = self.at(("work", "0001_apart"), ("workshop", "0007_own_steps"), ("jobs", "0022_pages_again"))
        user = self.person(old)
        made = {"job": self.job(old, user), "chosen_by": user, "chosen_at": NOW}
        repair = old.get_model("jobs", "Repair").objects.create(**made, route="replace_guard")
        old.get_model("work", "StepRun").objects.create(repair=repair, step="guard_off", done_at=NOW, by=user)
        old.get_model("workshop", "ShopStep").objects.create(at="sense_fix", do="Shim it.", since=NOW, by=user)
        new = self.at(("work", "0002_steps_renamed"), ("workshop", "0008_steps_renamed"))
        self.assertEqual(new.get_model("work", "StepRun").objects.get().step, "part_off")
        self.assertEqual(new.get_model("workshop", "ShopStep").objects.get().at, "part_iron_on")

    def check_proofs(self, old, repairs):
        job, user = old.get_model("jobs", "Job").objects.get(), old.get_model("people", "User").objects.get()
        proofs = old.get_model("jobs", "Proof").objects
        read = {"amps": 1.1, "percent_first": 20.0, "steady": False, "works": False}
        whole, begun = proofs.create(job=job, by=user, at=NOW, **read), proofs.create(job=job, by=user, at=NOW)
        new = self.at(("jobs", "0008_proofs"))
        kept = new.get_model("jobs", "Proof").objects
        row = kept.get(pk=whole.pk)
        self.assertEqual(
            (row.numbers, row.answers, row.works, row.phase),
            ({"amps": 1.1, "percent_first": 20.0}, {"wiggle": "drops"}, False, "closed"),
        )
        self.assertEqual((kept.get(pk=begun.pk).numbers, kept.get(pk=begun.pk).answers), ({}, {}))
        booked = new.get_model("jobs", "Repair").objects
        self.assertEqual([booked.get(pk=pk).booked for pk in repairs], [True, False])
