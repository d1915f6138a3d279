"""An order: art with how many and how wide, taken in once however often it comes, and its run made by itself."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.production.file_names import Named
from etiquette.intake.tasks import OrderWork, do_order
from etiquette.sandbox.art import ArtRead
from etiquette.stations import recipes, run_edits, whole
from etiquette.stations.designs import WALK_IN, states_of
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.lines.looking_over import eyes_of
from etiquette.stations.lines.tasks import find_lines
from etiquette.stations.plate_sets import plates_of
from etiquette.stations.print import queue, sending
from etiquette.stations.print.beds import by_prints
from etiquette.stations.print.preflight import preflight
from etiquette.stations.print.tasks import make_plates
from etiquette.stations.run.schemas import NestWork
from etiquette.stations.run.tasks import nest
from etiquette.stations.runs import state_of
from etiquette.stations.schemas import OfDesign, OfRun
from etiquette.stations.shop import Shop
from etiquette.stations.what_lies import ask_printer
from etiquette.store.models import Art, Design, DropFolder, Job, Order, OrderState, Recipe
from etiquette.store.rows import loaded
from etiquette.store.states import SheetState
from etiquette.tasks.task import A, R, TaskType
from etiquette.tasks.work import submit


@dataclass(frozen=True)
class Wished:
    """What is ordered besides the art itself."""

    named: Named
    due: date | None = None
    recipe_id: int | None = None
    folder_id: int | None = None


def known(session: Session, key: str) -> Order | None:
    return session.scalar(select(Order).where(Order.key == key))


def take(shop: Shop, key: str, file_name: str, content: bytes, wished: Wished) -> int:
    """The order of `key`, made if it is new; returns its number. Its art, its job and the work on it are kept in one
    transaction: what is cut off before that never came, what is cut off after it goes on. Raises JobError when the art
    cannot be read; nothing is kept then."""
    there = shop.database.within(lambda session: known(session, key))
    if there is not None:
        return there.id
    pages = taking_in.read_pages(content, file_name, lambda _: None)
    lines = shop.database.within(lambda session: _lines(session.get(Recipe, wished.recipe_id or 0)))
    behind = taking_in.mirrored_for(shop, pages, file_name, lines)
    return shop.database.within(lambda session: _kept(shop, session, key, file_name, wished, pages, behind))


def _lines(recipe: Recipe | None) -> dict[str, Any]:
    return dict(recipe.document.lines) if recipe else {}


def _kept(
    shop: Shop, session: Session, key: str, file_name: str, wished: Wished, pages: Any, behind: list[ArtRead]
) -> int:
    there = known(session, key)  # the same order may have come twice at once
    if there is not None:
        return there.id
    recipe = session.get(Recipe, wished.recipe_id or 0)
    named = wished.named
    job = Job(name=named.name[:120], customer=(named.customer or WALK_IN)[:120], due=wished.due)
    session.add(job)
    session.flush()
    document = _lines(recipe)
    if named.count is not None:
        document["due_count"] = named.count
    if len(pages) == 1 and named.name:
        document["name"] = named.name[:120]
    if named.width_mm is not None:
        document["width_mm"] = named.width_mm
    ids = taking_in.add_pages(shop, session, pages, file_name, job.id, document, behind)
    if recipe is not None:
        recipes.note_use(session, [job.id], recipe)
    made = Order(
        key=key,
        folder_id=wished.folder_id,
        file_name=file_name[-255:],
        recipe={"name": recipe.name, **recipe.document.model_dump(mode="json")} if recipe else None,
        job_id=job.id,
        designs=ids,
    )
    session.add(made)
    session.flush()
    older = _older(session, job, ids)
    if older is None:
        submit(session, do_order, OrderWork(order_id=made.id), f"order {made.id}")
    else:  # somebody says whether it is, or goes on with it as a job of its own
        made.newer_of, made.state = older.id, OrderState.ASKS
        made.words = f"It may be newer art of {older.name}, {job.customer}."[:400]
    return made.id


def _older(session: Session, job: Job, designs: Sequence[int]) -> Design | None:
    """An open design of the same customer that is called the same; what walks in has no customer to tell it by."""
    if len(designs) != 1 or job.customer == WALK_IN:
        return None
    name = session.get_one(Design, designs[0]).document.name
    there = select(Design).join(Job).where(Design.name == name, Job.customer == job.customer, Design.id != designs[0])
    wanted = there.where(Job.closed_at.is_(None), ~Job.away, ~Design.away).order_by(Design.id.desc()).limit(1)
    return session.scalar(wanted)


def as_newer_art(shop: Shop, order_id: int) -> int:
    """The art of the order takes the place of the open design's, all settings of which stay; the job that it began is
    gone. Returns the design. Raises NotThere, JobError."""

    def asked(session: Session) -> tuple[int, str, str]:
        row = session.get(Order, order_id, with_for_update=True)
        if row is None or row.state != OrderState.ASKS or row.newer_of is None or not row.designs:
            raise JobError("This order is not newer art of anything.", f"order {order_id}", "Look at the folder again.")
        came = session.get_one(Design, row.designs[0]).document
        art = session.get_one(Art, came.arranged.of if came.arranged else came.art_id)
        return row.newer_of, art.content_sha, art.file_name

    design, sha, name = shop.database.within(asked)
    taking_in.replace_art(shop, design, shop.blobs.read(sha), name)

    def settled(session: Session) -> None:
        row = session.get_one(Order, order_id, with_for_update=True)
        job, older = row.job_id, session.get_one(Design, design)
        row.state, row.words = OrderState.DONE, f"newer art of {older.name}"[:400]
        row.job_id, row.designs, row.newer_of = older.job_id, [design], None
        session.flush()
        if job is not None and job != older.job_id:
            whole.take_away(session, "job", job)
        submit(session, find_lines, OfDesign(design_id=design))

    shop.database.within(settled)
    return design


def refused(shop: Shop, key: str, file_name: str, folder_id: int | None, why: str) -> None:
    """What came and cannot be an order is kept as one that was refused, so that it is seen."""

    def keep(session: Session) -> None:
        if known(session, key) is None:
            session.add(Order(key=key, folder_id=folder_id, file_name=file_name[-255:], state=OrderState.REFUSED,
                              words=why[:400], designs=[]))  # fmt: skip

    shop.database.within(keep)


def carry_on(shop: Shop, order_id: int) -> None:
    """Lines of the order's designs, then its run, or its wait for others. Done again from the beginning after a kill:
    each step finds what was done before."""
    order = shop.database.within(lambda session: session.get(Order, order_id))
    if order is None or order.state != OrderState.WAITING:
        return
    try:
        for design in order.designs:
            _do(shop, find_lines, OfDesign(design_id=design))
        shop.database.within(lambda session: _make_ready(session, order.designs))
        folder = shop.database.within(lambda session: session.get(DropFolder, order.folder_id or 0))
        if folder is not None and folder.gather != "each":
            shop.database.within(lambda session: _set(session, [order_id], OrderState.GATHERED, ""))
            return
        run_together(shop, [order_id])
    except JobError as error:
        ask(shop, [order_id], error)


def ask(shop: Shop, order_ids: Sequence[int], error: JobError) -> None:
    """A person has to look at these orders."""
    words = f"{error.what} {error.do}".strip()
    shop.database.within(lambda session: _set(session, order_ids, OrderState.ASKS, words))


def left(session: Session, order_ids: Sequence[int]) -> None:
    """Their work broke off, as when the database was away for long: nobody would take them up again, so they ask."""
    waiting = [one.id for one in loaded(session, Order, order_ids).values() if one.state == OrderState.WAITING]
    _set(session, waiting, OrderState.ASKS, "Its work broke off. Let it go on when all is well again.")


def again(session: Session, order_id: int) -> None:
    """Somebody has looked: it goes on from where it stopped. Raises NotThere, JobError."""
    row = session.get(Order, order_id, with_for_update=True)
    if row is None:
        raise NotThere("There is no such order.", f"order {order_id}", "Look at the folder again.")
    if row.state != OrderState.ASKS:
        raise JobError("This order does not ask anybody.", row.file_name, "Look at the folder again.")
    row.state, row.words, row.tries, row.newer_of = OrderState.WAITING, "", row.tries + 1, None
    submit(session, do_order, OrderWork(order_id=row.id), f"order {row.id}, {row.tries}")


def _make_ready(session: Session, designs: Sequence[int]) -> None:
    """Raises JobError where a line is to be seen by somebody first: nobody stands at the roll who would notice."""
    for number, state in states_of(session, designs).items():
        if state.document.ready:
            continue
        if eyes := eyes_of(state.lines.summary) if state.lines else []:
            what = f"The line of {state.document.name} has to be looked at: {eyes[0]}."
            raise JobError(what, state.document.name, "Press Enter in Lines when it is right, then let it go on.")
        editing.change(session, number, None, "ready, by its recipe", {"ready": True})


def gathered(shop: Shop, order_ids: Sequence[int]) -> None:
    """The run of orders that waited for each other."""
    try:
        run_together(shop, order_ids)
    except JobError as error:
        ask(shop, order_ids, error)


def run_together(shop: Shop, order_ids: Sequence[int]) -> None:
    """One run of these orders, laid out, with its print files, sent or held as their recipe says; what would stand in
    the way of a person who sends it is held with the reason. Raises JobError."""
    run_id, send = shop.database.within(lambda session: _run_of(session, order_ids))
    if not shop.database.within(lambda session: state_of(shop, session, run_id)).fresh:
        _do(shop, nest, NestWork(run_id=run_id))
    _do(shop, make_plates, OfRun(run_id=run_id))
    stop = _stands_in_the_way(shop, run_id) if send else ""
    shop.database.within(lambda session: _sheets(shop, session, run_id, send and not stop))
    words = f"held at Print: {stop}" if stop else "sent" if send else "held at Print"
    shop.database.within(lambda session: _set(session, order_ids, OrderState.DONE, words))


def _stands_in_the_way(shop: Shop, run_id: int) -> str:
    """The first of what is looked at before a run is sent that has to be put right; empty: nothing."""
    told = ask_printer(shop, run_id)

    def looked(session: Session) -> str:
        checks = preflight(shop, session, state_of(shop, session, run_id), told)
        return next((one.words for one in checks if one.state == "stop"), "")

    return shop.database.within(looked)


def _run_of(session: Session, order_ids: Sequence[int]) -> tuple[int, bool]:
    """The run of the orders, made if it is not there yet, and whether it is sent."""
    orders = list(session.scalars(select(Order).where(Order.id.in_(order_ids)).with_for_update()))
    recipe = next((one.recipe for one in orders if one.recipe), None)
    send = bool(recipe and recipe["send"])
    begun = next((one.run_id for one in orders if one.run_id), None)
    if begun is not None:
        return begun, send
    designs = loaded(session, Design, [design for one in orders for design in one.designs])
    items = [{"design_id": number, "count": row.document.due_count} for number, row in sorted(designs.items())]
    named = orders[0].file_name.rsplit(".", 1)[0]
    name = named if len(orders) == 1 else f"{named} and {len(orders) - 1} more"
    run_id = run_edits.create(session, name[:110] or "Order", items)
    if recipe is not None:
        row = Recipe(name=str(recipe["name"]), document_json={key: recipe[key] for key in ("lines", "run", "send")})
        missing = run_edits.use(session, run_id, None, row)
        if any(one.startswith("stock ") for one in missing):
            what = f"There is no stock {recipe['run']['stock']} here."
            raise JobError(what, "recipe", "Put it on the Shelf, or change the recipe.")
    for one in orders:
        one.run_id = run_id
    return run_id, send


def _sheets(shop: Shop, session: Session, run_id: int, send: bool) -> None:
    """A print of every frame, once. One that was held before is the shop's to send."""
    plates = plates_of(session, state_of(shop, session, run_id))
    for together in by_prints(plates):
        first, *_ = queue.ask_for_print(shop, session, together, None, f"order run {run_id}", not send)
        if first.state == SheetState.PRINTING:
            sending.submit_print(session, first.id)


def _set(session: Session, order_ids: Sequence[int], state: OrderState, words: str) -> None:
    for row in loaded(session, Order, order_ids).values():
        row.state, row.words = state, words[:400]


def _do(shop: Shop, task: TaskType[A, R], arguments: A) -> R:
    """A task of a station, done and published here and now."""
    return task.work(shop, arguments, lambda *_: True).published(shop.database)
