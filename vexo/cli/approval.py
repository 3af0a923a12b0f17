"""The command about the approval of a plan by somebody else."""

from __future__ import annotations

import click

from .common import find_view, json_option, print_json, ready
from .main import Setting
from .options import Beside
from .terminal import console


@click.command()
@click.argument("trip", type=int)
@click.option("--ask", "note", metavar="WORDS", help="Ask somebody else to approve the newest plan.")
@click.option("--approve", is_flag=True, help="Approve it.")
@click.option("--send-back", "word", metavar="WORDS", help="Send it back, and say why.")
@click.option(
    "--plan",
    "number",
    type=int,
    help="The plan that was seen; the newest by default.",
    cls=Beside,
    only_with=("note", "approve", "word"),
)
@json_option
@ready
def approval(
    setting: Setting, trip: int, note: str | None, approve: bool, word: str | None, number: int | None, as_json: bool
) -> None:
    """Show the approval that a trip's plan needs; ask for it, approve it, or send it back."""
    from vexo.server.errors import PlainError
    from vexo.server.passes.approving import answer_approval, ask_for_approval, reason_for_approval
    from vexo.server.passes.starting import plan_to_approve
    from vexo.server.people.rights import Action, require
    from vexo.server.planning.context import plan_of
    from vexo.server.trips.facts import to_json
    from vexo.server.trips.status import TripStatus
    from vexo.server.trips.trip_pages import approval_told

    choices = [note is not None, approve, word is not None]
    if sum(choices) > 1:
        raise PlainError("Ask, approve or send back; one of these.", "approval")
    if any(choices):
        require(setting.person(), Action.PREPARE)
    view = find_view(trip)
    plan = plan_to_approve(view, number or plan_of(view).number) if any(choices) else plan_of(view)
    if note is not None:
        ask_for_approval(view, setting.person(), plan, note)
    elif any(choices):
        answer_approval(view, setting.person(), plan, approve=approve, words=word or "")
    fact = approval_told(TripStatus(find_view(trip)), setting.person())
    if as_json:
        print_json({"trip": trip, "plan": plan.number, "approval": to_json(fact)})
        return
    out = console()
    why = reason_for_approval(plan)
    out.print(f"Plan {plan.number} of trip {trip}: {why or 'it needs no approval.'}")
    if fact is not None and fact.state is not None:
        by = fact.by["name"] if fact.by else ""
        out.print(f"{fact.state.capitalize()}{f' by {by}' if by else ''}. {fact.word or fact.note}".strip())
