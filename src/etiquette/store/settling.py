"""What was under way when a copy was made is not begun again by itself where it is restored: nothing physical happens
because of a copy."""

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from etiquette.store.models import DropFolder, Machine, Order, OrderState, Sheet, SignIn, SignInLink, Task
from etiquette.store.states import ENDED, SheetState, TaskState

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
