"""What was under way and is not any more is put where people can go on. When a copy was made it is not begun again by
itself where it is restored: nothing physical happens because of a copy."""

from sqlalchemy import Select, delete, func, or_, select
from sqlalchemy.orm import Session, aliased

from etiquette.store.models import DropFolder, Machine, Order, OrderState, Plate, Run, Sheet, SignIn, SignInLink, Task
from etiquette.store.states import ENDED, RunState, SheetState, TaskState

STOPPED = {
    "what": "It was under way when the copy was made that this shop is restored from.",
    "where": "restored",
    "do": "Look at the machine, then start it again if it is still to be done.",
}


def settle(session: Session) -> dict[str, int]:
    """Work that waits or runs is cancelled, prints of which nobody knows are unclear, machines are free, orders that
    came by themselves ask somebody (a recipe may send what is made of them), and watched folders are put away until
    somebody wants them again. Everybody signs in anew. How many of each."""
    tasks = session.scalars(select(Task).where(Task.state.not_in(ENDED))).all()
    for task in tasks:
        task.state, task.problem = TaskState.CANCELLED, STOPPED
    sheets = session.scalars(select(Sheet).where(Sheet.state == SheetState.PRINTING)).all()
    for sheet in sheets:
        sheet.state = SheetState.UNCLEAR
    for machine in session.scalars(select(Machine)):
        machine.task_id = machine.held_until = None
        machine.held_for = machine.holder = ""
    going = (OrderState.WAITING, OrderState.GATHERED)
    orders = session.scalars(select(Order).where(Order.state.in_(going))).all()
    for order in orders:
        order.state, order.words = OrderState.ASKS, STOPPED["what"]
    folders = session.scalars(select(DropFolder).where(~DropFolder.away)).all()
    for folder in folders:
        folder.away = True
    for opens in (SignIn, SignInLink):  # whoever holds the copy may not come in by what was open then
        session.execute(delete(opens))
    counts = {"tasks_stopped": len(tasks), "prints_unclear": len(sheets), "orders_asking": len(orders)}
    return {**counts, "folders_put_away": len(folders)}


def unfollowed_prints() -> Select[Sheet]:
    """Sheets that are being printed, and no work follows them, nor a sheet of the same print."""
    first = aliased(Sheet)
    printed_with = select(first.id).where(or_(first.id == Sheet.id, first.bed == Sheet.bed)).correlate(Sheet)
    of_sheet = func.json_value(Task.arguments, "$.sheet_id").in_(printed_with)
    followed = select(Task.id).where(of_sheet, Task.state.not_in(ENDED)).correlate(Sheet).exists()
    return select(Sheet).where(Sheet.state == SheetState.PRINTING, ~followed)


def settle_unfollowed(session: Session) -> list[str]:
    """A print that nothing follows would be one for ever: its work failed in a way that an earlier version did not
    settle. Nobody knows what became of it, until somebody asks or looks. Returns the names of the sheets."""
    sheets = session.scalars(unfollowed_prints().with_for_update()).all()
    for sheet in sheets:
        sheet.state = SheetState.UNCLEAR
        session.get_one(Run, session.get_one(Plate, sheet.plate_id).run_id).state = RunState.PLANNED
    return [sheet.name for sheet in sheets]
