"""Whether the procedures hold together: facts, acts, blocks, slots, settings and words that their steps name."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from itertools import combinations

from chargepath.knowledge.book import Knowledge
from chargepath.knowledge.layers import SITE
from chargepath.knowledge.procedures import (
    ALLOY,
    CHOSEN,
    GLUED,
    HEATED_BY,
    NOZZLE,
    OWN_WORDS,
    Procedures,
    WorkOption,
    WorkStep,
    suits,
)
from chargepath.knowledge.reader import Reader


def check_procedures(read: Reader, known: Knowledge) -> None:
    """Facts, acts, blocks, slots, cautions, checks and words that the procedures name."""
    work = known.procedures
    _check_plan(read, known)
    words = {*known.kinds, *known.carriers, *known.connectors, *known.traits, *OWN_WORDS}
    ids = [step.id for step in work.steps()]
    acts = {rule.act for rule in work.nevers} | set(work.undoes)
    read.known(work.acts, acts, "plan.toml [act]")
    made = [*(tool.settings for tool in work.tools.values()), *(kind.settings for kind in work.acts.values())]
    read.known([name for settings in made for name in settings], work.settings, "settings of [tool] and [act]")
    read.known([name for kind in work.acts.values() for name in kind.cautions], known.cautions, "plan.toml [act]")
    _check_layers(read, known, words)
    for name in sorted({name for name in ids if ids.count(name) > 1}):
        read.say(f"procedures.toml {name}", "two steps have this id")
    for step in work.steps():
        where = f"procedures.toml {step.id}"
        read.known([fact for fact, _ in (*step.needs, *step.makes)], work.facts, where)
        read.known(step.acts, acts, f"{where}.acts")
        read.known(step.settings, work.settings, f"{where}.set")
        read.known(step.cautions, known.cautions, f"{where}.caution")
        read.known(_parts((*step.when, *step.unless)), words, where)
        read.known([step.record] if step.record else [], known.checks, f"{where}.record")
        read.known(step.back, ids, f"{where}.back")
        read.known([step.screws] if step.screws else [], ("in", "out"), f"{where}.screws")
        if bool(step.nozzle) != (NOZZLE in step.settings):
            read.say(where, f"a nozzle has a size and a shape: it sets {NOZZLE} and says one in nozzle, or neither")
        read.known([step.nozzle] if step.nozzle else [], work.nozzles, f"{where}.nozzle")
        read.known([step.at], {*known.layers.places, SITE}, f"{where}.at")
        _check_solvent(read, work, step, where)
        _check_step_heat(read, known, step, where)
        _check_step_time(read, step, where)
        _check_alloy(read, work, step, where)
    for slot, options in work.options.items():
        read.known([slot], work.slots, "procedures.toml [option]")
        for option in options.values():
            read.known(_parts((*option.when, *option.unless)), words, f"procedures.toml [option.{slot}.{option.id}]")
            read.known(option.adds, OWN_WORDS, f"procedures.toml [option.{slot}.{option.id}].adds")
        _check_slot(read, known, list(options.values()), f"procedures.toml [option.{slot}]")


def _check_layers(read: Reader, known: Knowledge, words: Collection[str]) -> None:
    """Facts, words, layers and routes that layers.toml names, and a place for each route that works at its site."""
    tables, work = known.layers, known.procedures
    layers = {layer.id for layer in tables.layers}
    for layer in tables.layers:
        where = f"layers.toml {layer.id}"
        read.known([fact for state in layer.states for fact, _ in state.needs], work.facts, f"{where}.state")
        read.known(layer.live, work.facts, f"{where}.live")
        read.known([*layer.when, *layer.unless, *(word for state in layer.states for word in state.when)], words, where)
    for place in tables.places.values():
        read.known([*([place.on] if place.on else []), *place.under], layers, f"layers.toml [place.{place.id}]")
    read.known(tables.conditions, work.facts, "layers.toml [condition]")
    read.known(tables.sites, work.recipes, "layers.toml [site]")
    read.known(tables.sites.values(), tables.places, "layers.toml [site]")
    read.known(tables.dangers, known.hazards, "layers.toml [danger]")
    read.known(known.hazards, tables.dangers, "layers.toml [danger], which names every hazard:")
    read.known(tables.dangers.values(), tables.places, "layers.toml [danger]")
    for route, blocks in work.recipes.items():
        options = [option for name in blocks if name[0] == "@" for option in work.options.get(name[1:], {}).values()]
        steps = [step for name in blocks if name[0] != "@" for step in work.blocks.get(name, ())]
        steps += [step for option in options for step in option.steps]
        if route not in tables.sites and any(step.at == SITE for step in steps):
            read.say("layers.toml [site]", f"'{route}' has steps at its site: say which place that is")


def _parts(asked: Iterable[str]) -> list[str]:
    """Every word that `when` and `unless` name, those of 'a+b' too."""
    return [word for names in asked for word in names.split("+")]


def _check_slot(read: Reader, known: Knowledge, options: Sequence[WorkOption], where: str) -> None:
    """Say which device no option of a slot suits; an option that only a habit picks is not counted."""
    named = sorted({word for option in options for word in _parts((*option.when, *option.unless))})
    for count in range(len(named) + 1):
        for words in combinations(named, count):
            fits = any(not option.habit and suits(option.when, option.unless, words) for option in options)
            if not fits and _may_be(known, words, named):
                lacks = f"a device with {', '.join(words)}" if words else "a device with none of what they name"
                read.say(where, f"none of these suits {lacks}: add one that does")
                return


def _may_be(known: Knowledge, words: Collection[str], named: Collection[str]) -> bool:
    """Whether a device can have these words, and none of the others that are named."""
    if "glued" in named and {*GLUED} & {*named} and ("glued" in words) != bool({*GLUED} & {*words}):
        return False
    for group in {trait.group for trait in known.traits.values() if trait.group}:
        members = {name for name, trait in known.traits.items() if trait.group == group}
        usual = {kind for name in members for kind in known.traits[name].usual}
        found = len(members & {*words})
        if found > 1 or (not found and members <= {*named} and usual >= {*known.kinds}):
            return False
    return True


def _check_solvent(read: Reader, work: Procedures, step: WorkStep, where: str) -> None:
    """A step that uses a solvent says so in its facts, so that the rules on heat and power see it."""
    uses = set(step.materials) & set(work.solvents)
    left = {fact for fact, so in step.makes if so} & set(work.leaves)
    if uses and ("solvent" not in step.acts or not left):
        read.say(where, f"uses {min(uses)}: its acts name 'solvent', and it makes one of {', '.join(work.leaves)}")
    if "solvent" in step.acts and not uses:
        read.say(where, f"does the act 'solvent': its materials name one of {', '.join(work.solvents)}")


def _check_step_heat(read: Reader, known: Knowledge, step: WorkStep, where: str) -> None:
    """A step that heats solder says how hot, what the heat goes into and what melts, so that the desk can judge it."""
    heat = known.heat
    if step.heats:
        places = {"own", *(heat.touches if "iron_c" in step.settings else heat.targets)}
        read.known([step.heats], places, f"{where}.heats")
        alloys = known.procedures.options.get(ALLOY, {})
        solders = [step.solder.replace(CHOSEN, alloy) for alloy in alloys] if CHOSEN in step.solder else [step.solder]
        read.known([name for name in solders if name], heat.solders, f"{where}.solder")
        if not set(step.settings) & set(HEATED_BY):
            read.say(where, f"heats something: it sets one of {', '.join(HEATED_BY)}")
        blows = bool({"air_c", "below_c"} & set(step.settings))
        for name in ("flow_l", "nozzle_mm") if blows else ():
            if name not in step.settings:
                read.say(where, f"blows hot air onto solder: it sets {name} too")
        for name in ("fumes", "hot_air") if blows else ("fumes",):
            if name not in step.cautions:
                read.say(where, f"heats flux and solder: its cautions name '{name}'")
    elif set(step.acts) & {"solder", "hot_air", "pins"}:
        read.say(where, "solders or blows hot air: it says what the heat goes into (heats) and what melts (solder)")


def _check_alloy(read: Reader, work: Procedures, step: WorkStep, where: str) -> None:
    """Whatever names lead goes by the chosen solder, and says the caution wherever it is leaded."""
    read.known(step.lead_free, step.settings, f"{where}.lead_free")
    if CHOSEN in step.solder and step.adds_solder and "lead" not in step.cautions:
        read.say(where, "puts on the solder that is chosen: its cautions name 'lead', which goes where it is lead-free")
    speaks = step.lead_free or "lead" in step.cautions or CHOSEN in " ".join((step.do, *step.materials))
    if CHOSEN not in step.solder and speaks:
        read.say(where, f"speaks of the solder that is chosen: its solder holds {CHOSEN}")
    if any(name.startswith("leaded") for name in step.materials):
        read.say(where, f"names leaded solder: write {CHOSEN}, so that it may be lead-free")


def _check_step_time(read: Reader, step: WorkStep, where: str) -> None:
    """A wait says how long on the page, and what warms a device with its cell in says so."""
    timed = step.settings.get("time_min", step.settings.get("soak_s", 0.0) / 60)
    if step.wait and timed > step.wait + 1e-9:
        read.say(where, f"waits {step.wait:g} min and sets {timed:g}: the wait is as long")
    if step.wait and not timed:
        read.say(where, "waits: it sets time_min, so that the page shows for how long")
    if "warm" in step.acts and "lithium" not in step.cautions:
        read.say(where, "warms a device: its cautions name 'lithium'")


def _check_plan(read: Reader, known: Knowledge) -> None:
    """What plan.toml names."""
    work = known.procedures
    for rule in work.nevers:
        read.known([rule.fact, *rule.but], work.facts, f"plan.toml [[never]] {rule.id}")
    for level, changed in work.start_built.items():
        where = f"plan.toml [start_built.{level}]"
        read.known([level], work.start, where)
        read.known(changed, known.traits, where)
        read.known([fact for facts in changed.values() for fact, _ in facts], work.facts, where)
    for level, facts in work.start.items():
        read.known([level], known.access, "plan.toml [start]")
        read.known(facts, work.facts, f"plan.toml [start] {level}")
    for level in known.access:
        if level not in work.levels or level not in work.start:
            read.say(f"plan.toml [level.{level}]", "this level has no blocks or no start")
    read.known(work.told, known.tells, "plan.toml [told]")
    said = {
        name
        for step in work.steps()
        for alloy in work.options.get(ALLOY, {})
        for name in (*step.acts, *step.soldered(alloy).materials)
    }
    read.known([name for names in work.told.values() for name in names], said, "plan.toml [told]")
    read.known([name for name, _ in work.goals], work.facts, "plan.toml [goal]")
    read.known(work.lasting, work.facts, "plan.toml [lasting]")
    for route in known.routes.values():
        if route.cures and route.id not in work.recipes:
            read.say(f"plan.toml [recipe] {route.id}", "this route has no blocks")
    read.known((*work.recipes, *work.in_frame, *work.after_test, *work.legs_under), known.routes, "plan.toml")
    read.known(work.spare, work.slots, "plan.toml [spare]")
    steps = {step.id for step in work.steps()}
    read.known(work.renamed.values(), steps, "plan.toml [renamed]")
    for name in sorted({*work.renamed} & steps):
        read.say(f"plan.toml [renamed] {name}", "a step has this id still")
    lists = [*work.recipes.values(), *work.after_test.values(), work.first]
    lists += [part for level in work.levels.values() for part in (level.open, level.again, level.test, level.close)]
    for name in {name for names in lists for name in names}:
        if name.startswith("@"):
            read.known([name[1:]], [slot for slot in work.slots if slot in work.options], "plan.toml")
        else:
            read.known([name], work.blocks, "plan.toml")
