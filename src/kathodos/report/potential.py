"""Potential reach in words: what one could reach by giving itself more, and the steps."""

from __future__ import annotations

from kathodos.engine.potential import Step, gained, potential_reach, way_to
from kathodos.errors import CallError, found_if
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field, Row
from kathodos.report.reach import ReachQuestion

_STEPS = (
    Field("round", "Round", 6, is_number=True),
    Field("step", "Step", 9, least=24),
    Field("by", "By", 8, least=20),
)


def potential(question: ReachQuestion, is_table: bool, is_csv: bool) -> Answer:
    """What one could reach by using what it reaches, and the steps; or the steps to one resource."""
    if question.asker is None:
        raise CallError("--potential needs --by.", "Name an identity or an account.")
    if question.node is not None:
        return _way(question, is_csv)
    who = question.view.named(question.asker)
    found = potential_reach(question.index, question.view.catalogue, question.asker, question.moment)
    rows = [_step_record(step) for step in found.steps]
    gains = [(system, now, more) for system, now, more in gained(found) if more]
    if not is_table:
        document = {
            "steps": rows,
            "gained": [{"system": system.name, "now": now, "more": more} for system, now, more in gains],
        }
        return Answer(_STEPS, rows, document=document, status=found_if(gains))
    text = [f"{system.name}: {more:,} more than the {now:,} now" for system, now, more in gains]
    total = plural(sum(more for _, _, more in gains), "pair of action and resource", "pairs of action and resource")
    heading = f"{who} could take {plural(len(rows), 'step')} and reach {total} more"
    if not rows:
        heading = f"{who} can give itself nothing"
    text = text or ["Nothing that it does not reach already."]
    hint = "The way to one of them: add --on RESOURCE --do ACTION" if gains else ""
    return Answer(_STEPS if rows else (), rows, heading, text, hint=hint, status=found_if(gains))


def _way(question: ReachQuestion, is_csv: bool) -> Answer:
    """The steps by which one comes to reach an action on one resource."""
    index = question.index
    assert question.asker is not None and question.node is not None
    if question.action is None:
        raise CallError("--potential with --on needs --do.", "Name the action.")
    number = index.action_number[index.system_of(question.node).name, question.action]
    steps = way_to(index, question.view.catalogue, question.asker, question.node, number, question.moment)
    who, address = question.view.named(question.asker), index.tree.addresses[question.node]
    asked = f"{who}: {question.action} {address}"
    document: Row = {
        "could_reach": steps is not None,
        "reached": steps == [],
        "steps": [_step_record(step) for step in steps or ()],
    }
    if steps is None:
        tree, hint = Branch(f"no - {asked}, whatever it gives itself", style="green"), ""
    elif not steps:
        tree, hint = Branch(f"yes - {asked}, as it is"), "The chains: --trace in place of --potential"
    else:
        branches = [Branch(f"{at}. {step.text}", [Branch(f"by {step.by}")]) for at, step in enumerate(steps, 1)]
        tree, hint = Branch(f"in {plural(len(steps), 'step')} - {asked}", branches, "red"), ""
    fields = _STEPS if is_csv else ()
    status = found_if(steps is not None)
    return Answer(fields, document["steps"], trees=[tree], hint=hint, status=status, document=document)


def _step_record(step: Step) -> Row:
    return {"round": step.round + 1, "step": step.text, "by": step.by}
