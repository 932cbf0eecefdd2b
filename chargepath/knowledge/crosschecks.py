"""What one table of the knowledge says of another: names that must exist, words that must fit, shares that leave room.

Each table's own module reads it and says what is wrong within it. What takes a second table to see stands here, where
all of them are known; so no table's module needs to know the whole.
"""

from __future__ import annotations

from chargepath.knowledge.book import Knowledge
from chargepath.knowledge.checks import METHODS, TOOLS
from chargepath.knowledge.hazards import PUTS, Raise
from chargepath.knowledge.heat import LIMIT_IDS
from chargepath.knowledge.pinmaps import GROUPS
from chargepath.knowledge.plancheck import check_procedures
from chargepath.knowledge.procedures import OWN_WORDS
from chargepath.knowledge.proofs import CLOSED, JUDGED, OPEN, WATCHES
from chargepath.knowledge.reader import Reader
from chargepath.knowledge.wordchecks import check_words


def cross_check(read: Reader, known: Knowledge) -> None:
    """Say everything that does not fit together; `read` collects it."""
    for check in (
        _check_checks,
        _check_faults,
        _check_routes,
        _check_hazards,
        _check_intake,
        _check_schools,
        _check_sources,
        _check_mishaps,
        _check_connectors,
        _check_path,
        _check_stations,
        _check_traits,
        _check_boards,
        check_procedures,
        _check_upkeep,
        _check_proofs,
        _check_heat,
        check_words,
    ):
        check(read, known)


def _check_checks(read: Reader, known: Knowledge) -> None:
    """Words, stations, faults and other checks that checks name."""
    words = [check.word for check in known.checks.values()]
    for check in known.checks.values():
        where = f"checks.toml [{check.id}]"
        if words.count(check.word) > 1 or check.word in ("try", "did"):
            read.say(f"{where}.word", f"'{check.word}' stands for something else already")
        read.known([check.access], known.access, f"{where}.access")
        read.known([check.station, *check.station_on.values()], known.stations, f"{where}.station")
        read.known(check.station_on, check.variants, f"{where}.station_on")
        read.known(check.marks, check.grades, f"{where}.marks")
        read.known(check.marks.values(), ("off", "open", "short"), f"{where}.marks")
        read.known(check.needs_value, check.grades, f"{where}.needs_value")
        read.known(check.needs_value.values(), check.values, f"{where}.needs_value")
        read.known(check.cut_by, known.faults, f"{where}.cut_by")
        read.known(check.cautions, known.cautions, f"{where}.cautions")
        if check.puts and "solvent" in check.cautions:
            read.say(f"{where}.cautions", "no solvent lies on what a current is put into: make it without one")
        read.known(check.connectors, known.connectors, f"{where}.connectors")
        read.known(check.leak_history, known.history, f"{where}.leak_history")
        read.known([check.graded_by], METHODS, f"{where}.graded_by")
        read.known([check.tool], TOOLS, f"{where}.tool")
        if bool(check.graded_by) != bool(check.values):
            read.say(f"{where}.graded_by", "a check with values needs the way they are graded, one without has none")
        for implied in check.implies:
            read.known([implied.value], check.values, f"{where}.implies")
        if check.given:
            keys = [key for other in known.checks.values() for key in other.keys]
            read.known([check.given.key], keys, f"{where}.given.key")
            read.known(check.given.shared, check.grades, f"{where}.given.shared")
        read.known(check.no_proof, check.grades, f"{where}.no_proof")
        read.known(check.repeats, known.checks, f"{where}.repeats")
        named = [*check.void_when, *check.needs_before, *((row.check, row.grade) for row in check.implies)]
        for other, grade in named:
            read.known([other], known.checks, where)
            if other in known.checks:
                read.known([grade], known.checks[other].grades, f"{where} {other}")


def _check_faults(read: Reader, known: Knowledge) -> None:
    """Checks and outcomes that faults name; likelihoods leave room; something cures each."""
    keys = {key: check for check in known.checks.values() for key in check.keys}
    for fault in known.faults.values():
        where = f"faults.toml [{fault.id}]"
        read.known([fault.station], known.stations, f"{where}.station")
        read.known(fault.factors["history"], known.history, f"{where}.history")
        read.known(fault.factors["carrier"], known.carriers, f"{where}.carrier")
        read.known(fault.factors["connector"], known.connectors, f"{where}.connector")
        read.known(fault.factors["kind"], known.kinds, f"{where}.kind")
        for key, modes in fault.modes.items():
            read.known([key], keys, f"{where}.modes")
            if key in keys:
                read.known([sign for mode in modes for sign in mode.signs], keys[key].signs, f"{where}.modes.{key}")
                if sum(key in other.modes for other in known.faults.values()) > 1:
                    read.say(f"{where}.modes.{key}", "only one fault may show itself to a look in several ways")
        for kind, effects in (("grades", fault.grades), ("signs", fault.signs)):
            for key, chances in effects.items():
                at = f"{where}.{kind}.{key}"
                read.known([key], keys, at)
                if key in keys:
                    read.known(chances, getattr(keys[key], kind), at)
                if kind == "grades" and sum(chances.values()) > 1 + 1e-9:
                    read.say(at, f"the chances add up to {sum(chances.values()):g}; they may not pass 1")
        if not any(fault.id in route.cures for route in known.routes.values()):
            read.say(where, "no route in routes.toml cures it")


def _check_mishaps(read: Reader, known: Knowledge) -> None:
    """What a mishap leaves behind and raises is known, and it does one of both; words are used once."""
    for mishap in known.mishaps.values():
        where = f"mishaps.toml [{mishap.id}]"
        read.known(mishap.leaves, known.faults, f"{where}.leaves")
        read.known([mishap.hazard] if mishap.hazard else [], known.hazards, f"{where}.hazard")
        if not mishap.leaves and not mishap.hazard:
            read.say(where, "leaves nothing behind and raises no danger")
        if mishap.hazard in known.hazards and not any(raised.mishap for raised in known.hazards[mishap.hazard].raised):
            read.say(f"{where}.hazard", "is no danger that a mishap raises")
    words = [mishap.word for mishap in known.mishaps.values()]
    for word in sorted({word for word in words if words.count(word) > 1}):
        read.say("mishaps.toml", f"the word '{word}' stands for two mishaps")


def _check_routes(read: Reader, known: Knowledge) -> None:
    """Faults, checks, cautions and carriers that routes name."""
    for route in known.routes.values():
        where = f"routes.toml [{route.id}]"
        read.known([route.access, *route.access_on.values()], known.access, f"{where}.access")
        read.known([*route.cures, *route.try_cures, *route.leaves], known.faults, f"{where}.cures")
        read.known(route.traits, known.traits, f"{where}.traits")
        places = (*known.kinds, *known.carriers, *known.traits)
        read.known(route.harm_on, places, f"{where}.harm_on")
        read.known(route.part_on, places, f"{where}.part_on")
        read.known(route.unless, known.traits, f"{where}.unless")
        read.known([route.told] if route.told else [], known.history, f"{where}.told")
        by_carrier = (*route.access_on, *route.plan_cures, *route.carriers, *route.label_on)
        read.known(by_carrier, known.carriers, where)
        read.known([*route.part_name_on, *route.try_label_on], known.carriers, where)
        read.known(route.try_repeats, {key for check in known.checks.values() for key in check.keys}, where)
        if (route.try_minutes is None) != (not route.try_label):
            read.say(f"{where}.try_label", "says what a try is called where it can be tried, and only there")
        read.known(route.requires, known.checks, f"{where}.requires")
        read.known(route.tells, known.tells, f"{where}.tells")
        if route.harm and not route.harm_what:
            read.say(f"{where}.harm_what", "a chance of harm needs what the harm would be")


def _check_hazards(read: Reader, known: Knowledge) -> None:
    """Checks, signs, grades, routes, history flags and cautions that hazards name."""
    for hazard in known.hazards.values():
        where = f"hazards.toml [{hazard.id}]"
        read.known(hazard.forbids, PUTS, f"{where}.forbids")
        read.known([hazard.caution], known.cautions, f"{where}.caution")
        read.known(hazard.work, OWN_WORDS, f"{where}.work")
        read.known(hazard.stops, {act for step in known.procedures.steps() for act in step.acts}, f"{where}.stops")
        if bool(hazard.report) != any(raised.seen for raised in hazard.raised):
            read.say(f"{where}.report", "says how it is reported where it is raised by being seen, and only there")
        if hazard.shows:
            _check_shown(read, known, hazard.shows, f"{where}.shows")
        for raised in hazard.raised:
            _check_raise(read, known, raised, where)
    for kind, found in (("checks", known.checks), ("routes", known.routes)):
        for act in found.values():
            read.known(act.puts, PUTS, f"{kind}.toml [{act.id}].puts")


def _check_shown(read: Reader, known: Knowledge, shown: tuple[str, ...], where: str) -> None:
    check, *what = shown
    read.known([check], known.checks, where)
    if check in known.checks:
        read.known(what[:1], (*known.checks[check].signs, *known.checks[check].grades), where)
        read.known(what[1:], known.checks[check].variants, where)


def _check_raise(read: Reader, known: Knowledge, raised: Raise, where: str) -> None:
    read.known([raised.told] if raised.told else [], known.history, f"{where}.raised.told")
    read.known(raised.way, [*known.checks, *known.routes], f"{where}.way")
    read.known(raised.after, known.checks, f"{where}.after")
    read.known((*raised.ended_by, *raised.may_end), known.routes, f"{where}.ended_by")
    if raised.may_end and not raised.looked:
        read.say(f"{where}.may_end", "names no look that ends it afterwards (looked)")
    if raised.looked:
        _check_shown(read, known, raised.looked, f"{where}.looked")
    if bool(raised.told) + raised.seen + raised.mishap + bool(raised.check) != 1:
        read.say(f"{where}.raised", "is told, seen, a mishap, or shown by a check: exactly one of them")
    if not raised.check:
        return
    read.known([raised.check], known.checks, f"{where}.raised.check")
    if raised.check in known.checks:
        check_ = known.checks[raised.check]
        read.known([raised.sign] if raised.sign else [], check_.signs, f"{where}.raised.sign")
        read.known([raised.grade] if raised.grade else [], check_.grades, f"{where}.raised.grade")
        read.known([raised.value] if raised.value else [], check_.values, f"{where}.raised.value")
        if not (raised.sign or raised.grade or raised.value):
            read.say(f"{where}.raised", "says nothing of what the check shows: a sign, a grade or a value")


def _check_intake(read: Reader, known: Knowledge) -> None:
    """Checks and history flags that the rules name; each can be made on a closed device."""
    for rule in known.intake.rules:
        where = f"intake.toml [{rule.id}]"
        found = known.checks if rule.kind == "check" else known.routes
        read.known([rule.id], found, where)
        read.known((*rule.told, *rule.untold), known.history, f"{where}.told")
        read.shown((*rule.seen, *rule.read), known.checks, f"{where}.seen")
        if rule.id in found and found[rule.id].access != next(iter(known.access)):
            read.say(where, "opens the device; the rule is for closed ones")


def _check_schools(read: Reader, known: Knowledge) -> None:
    """Routes, checks and carriers that habits name."""
    for school in known.schools.values():
        where = f"schools.toml [{school.id}]"
        read.known([*school.first_routes, *school.forbid], known.routes, where)
        read.known([*school.first_checks, *(check for check, _ in school.unless)], known.checks, where)
        read.known(school.carriers, known.carriers, f"{where}.carriers")


def _check_sources(read: Reader, known: Knowledge) -> None:
    """Checks that routines turn into."""
    for routine in known.routines.values():
        read.known([routine.check], known.checks, f"traces.toml [{routine.id}].check")


def _check_connectors(read: Reader, known: Knowledge) -> None:
    """Checks that the nets of pin maps are part of; the most volts of each kind of device."""
    for connector in known.connectors.values():
        if set(connector.most_volts) != set(known.kinds):
            read.say(f"connectors.toml [{connector.id}].most_volts", f"one for each of {', '.join(known.kinds)}")
    for found in [*(connector.map for connector in known.connectors.values()), *known.points.values()]:
        for net in found.nets.values():
            if not net.check:
                continue
            where = f"{found.id} net {net.id}"
            read.known([net.check], known.checks, where)
            if net.at and net.check in known.checks:
                read.known([net.at], known.checks[net.check].variants, where)


def _check_path(read: Reader, known: Knowledge) -> None:
    """Stations and groups of nets that places, suspicions and the ladder name."""
    for place in known.places.values():
        read.known([place.station], known.stations, f"places.toml {place.id}")
        read.known([place.access], known.access, f"places.toml {place.id}.access")
    for rung in known.rungs.values():
        read.known([rung.access], known.access, f"ladder.toml {rung.id}.access")
    for suspicion in known.suspicions.values():
        where = f"locate.toml [{suspicion.id}]"
        read.known([suspicion.station] if suspicion.station else [], known.stations, where)
        read.known(suspicion.groups, GROUPS, f"{where}.groups")
        read.known(suspicion.faults, known.faults, f"{where}.faults")
        read.known([suspicion.per], ("net", "pin"), f"{where}.per")
    for name in known.faults:
        shown = sum(suspicion.faults.get(name, 0.0) for suspicion in known.suspicions.values())
        if shown > 1 + 1e-9:
            read.say(f"locate.toml faults.{name}", f"the chances add up to {shown:g}; they may not pass 1")
    for hop in known.hops:
        read.known([hop.station], known.stations, f"ladder.toml {hop.start}")


def _check_stations(read: Reader, known: Knowledge) -> None:
    """Cautions that access levels name."""
    for level in known.access.values():
        read.known(level.cautions, known.cautions, f"stations.toml [[access]] {level.id}")


def _check_traits(read: Reader, known: Knowledge) -> None:
    """Kinds and other traits that the traits name."""
    for trait in known.traits.values():
        read.known(trait.usual, known.kinds, f"traits.toml [{trait.id}].usual")
        read.known(trait.implies, known.traits, f"traits.toml [{trait.id}].implies")


def _check_boards(read: Reader, known: Knowledge) -> None:
    """Stations, routes, contacts, roles and pins that boards.toml names."""
    tables, where = known.boards, "boards.toml"
    maps = {**known.points, **{name: row.map for name, row in known.connectors.items()}}
    contacts = {net for found in maps.values() for net in found.nets}
    for role in tables.roles.values():
        read.known([role.station], known.stations, f"{where} {role.id}.station")
        read.known(role.contacts, contacts, f"{where} {role.id}.contacts")
    for part in tables.parts.values():
        read.known([part.station], known.stations, f"{where} {part.id}.station")
        read.known(part.routes, known.routes, f"{where} {part.id}.routes")
        read.known([role for group in part.on for role in group], tables.roles, f"{where} {part.id}.on")
    read.known(tables.ties, known.points, f"{where} [tie]")
    for name, rules in tables.ties.items():
        read.known(rules, known.points[name].pin if name in known.points else (), f"{where} [tie.{name}]")
        read.known([rule.role for rule in rules.values()], tables.roles, f"{where} [tie.{name}]")


def _check_upkeep(read: Reader, known: Knowledge) -> None:
    """Checks that rest on tests of the bench, and consumables that plans name."""
    for test in known.upkeep.tests.values():
        read.known(test.rests, known.checks, f"upkeep.toml [test.{test.id}].rests")
    read.known(known.upkeep.consumables, known.procedures.materials(), "upkeep.toml [consumable]")


def _check_proofs(read: Reader, known: Knowledge) -> None:
    """Checks, grades, stations, hazards, steps and words that the items and slips name."""
    words = {*known.kinds, *known.carriers, *known.connectors, *known.traits, *OWN_WORDS}
    steps = {step.id: step for step in known.procedures.steps()}
    for step in steps.values():
        read.known(step.touches, [item.id for item in known.proof_items.values() if item.touched], f"{step.id}.touches")
    for kind in known.kinds:
        read.known([kind], known.proof.capacity, "proof.toml [capacity]")
    for item in known.proof_items.values():
        where = f"proof.toml [item.{item.id}]"
        read.known(item.at, (OPEN, CLOSED), f"{where}.at")
        read.known([item.watch], WATCHES, f"{where}.watch")
        read.known((*item.when, *item.unless), words, where)
        read.known(item.stations, known.stations, f"{where}.stations")
        read.known((*item.told, *item.risk_told), known.history, f"{where}.told")
        read.known((*item.routes, *item.open_routes, *item.risk_routes), known.routes, f"{where}.routes")
        read.known(item.cautions, known.cautions, f"{where}.cautions")
        read.known(item.hazards.values(), known.hazards, f"{where}.hazards")
        read.known([item.check] if item.check else [], known.checks, f"{where}.check")
        read.known([*item.grades, *item.hazards, *item.signs], item.answers, f"{where}.grades")
        read.known(item.said, JUDGED.get(item.judged, ())[:1], f"{where}.said")
        if bool(item.judged) == bool(item.answers) or bool(item.judged) != bool(item.values):
            read.say(where, "is either answered or has values that are judged")
        if item.judged:
            read.known([item.judged], JUDGED, f"{where}.judged")
        if item.check in known.checks:
            read.known(item.signs, known.checks[item.check].signs, f"{where}.signs")
            read.known(item.grades.values(), known.checks[item.check].grades, f"{where}.grades")
        read.shown((*item.seen, *item.risk_seen), known.checks, f"{where}.seen")
    for slip in known.slips.values():
        where = f"slips.toml [{slip.id}]"
        read.known(slip.shows, known.proof_items, f"{where}.shows")
        read.known((*slip.when, *slip.unless), words, where)
        read.known((*slip.steps, *slip.back), steps, where)
        read.known(slip.at, (OPEN, CLOSED), f"{where}.at")
        read.known(slip.told, known.history, f"{where}.told")
        read.shown(slip.seen, known.checks, f"{where}.seen")
        for item_id, found in slip.shows.items():
            shown = known.proof_items[item_id].shows[1:] if item_id in known.proof_items else ()
            read.known(found, shown, f"{where}.shows.{item_id}")
            if sum(found.values()) > 1:
                read.say(f"{where}.shows.{item_id}", "these add up to more than 1")


def _check_heat(read: Reader, known: Knowledge) -> None:
    """Limits that must be there; alloys, metals, carriers, routes and traits that are named."""
    for name in LIMIT_IDS:
        if name not in known.heat.limits:
            read.say("heat.toml", f"[limit.{name}] is missing")
    for solder in known.heat.solders.values():
        read.known([solder.alloy], known.heat.alloys, f"heat.toml [solder.{solder.id}].alloy")
    for target in known.heat.targets.values():
        where = f"heat.toml [target.{target.id}]"
        read.known([target.alloy], known.heat.alloys, f"{where}.alloy")
        read.known(target.carrier, known.carriers, f"{where}.carrier")
        read.known(target.route, known.routes, f"{where}.route")
        read.known([target.trait] if target.trait else [], known.traits, f"{where}.trait")
    for alloy in known.heat.alloys.values():
        read.known(alloy.of, known.heat.binary, f"heat.toml [alloy.{alloy.id}].of")
