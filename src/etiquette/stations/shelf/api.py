"""Shelf: stocks, rolls, machines, mark sets, colours: looked at, changed, added, taken away; machines are asked."""

from typing import Annotated, Literal

from fastapi import APIRouter, File, Form, Query, UploadFile
from fastapi.responses import FileResponse, Response

from etiquette.core.cutting.drawings import MEDIA, DrawingForm
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import set_up
from etiquette.stations.schemas import RowId
from etiquette.stations.shelf import asking, colours, exchange, filling, holders, keeping, profiles
from etiquette.stations.shelf.schemas import (
    AddAsked,
    FileAsked,
    InFile,
    NearbyShown,
    OpenShown,
    RollEntryShown,
    ShelfEdit,
    ShelfShown,
    TakeAsked,
    Taken,
    ThingAdded,
    WhoAnswered,
)

FileKind = Literal[
    "stock",
    "printer",
    "laminator",
    "cutter",
    "mark_set",
    "ink_colour",
    "roll",
    "print_mode",
    "tool_card",
    "colour_profile",
    "special_ink",
    "finisher",
    "die",
    "holder",
]
router = APIRouter(prefix="/api/shelf", tags=["shelf"], dependencies=[needs(Right.KEEP)])
books = [needs(Right.KEEP, see=Right.BOOKS)]


@router.get("")
def show_shelf(shop: ShopHere) -> ShelfShown:
    return within(shop, keeping.everything)


@router.get("/holders/{holder_id}/drawing", response_class=Response)
def draw_holder(shop: ShopHere, holder_id: int, form: DrawingForm = "svg") -> Response:
    """A holder for blanks as a drawing at its true size: openings and edge through, numbers with a pen."""
    made = within(shop, lambda session: holders.drawing(session, holder_id, form))
    headers = {"Content-Disposition": f"attachment; filename=holder-{holder_id}.{form}"}
    return Response(made, media_type=MEDIA[form], headers=headers)


@router.get("/file", response_class=Response, dependencies=books)
def save_shelf(shop: ShopHere, kinds: Annotated[list[FileKind] | None, Query()] = None) -> Response:
    """The Shelf, or these kinds of things on it, as SHELF.json."""
    text = within(shop, lambda session: exchange.written(shop, session, kinds or ()))
    headers = {"Content-Disposition": 'attachment; filename="SHELF.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.post("/file/compare")
def compare_file(shop: ShopHere, asked: FileAsked) -> list[InFile]:
    return within(shop, lambda session: exchange.compared(shop, session, asked.text, asked.name))


@router.post("/file/take")
def take_file(shop: ShopHere, asked: TakeAsked) -> Taken:
    return exchange.take(shop, asked.text, asked.name, asked.chosen)


@router.get("/colours", response_class=Response)
def save_colours(shop: ShopHere) -> Response:
    """The library of colours as CSV."""
    headers = {"Content-Disposition": 'attachment; filename="colours.csv"'}
    return Response(within(shop, colours.written), media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/colours")
def take_colours(shop: ShopHere, asked: FileAsked) -> Taken:
    """Colours of a CSV file, all or none of them."""
    return within(shop, lambda session: colours.take(session, asked.text, asked.name))


@router.post("/profiles")
def take_profile(
    shop: ShopHere, file: Annotated[UploadFile, File()], instead_of: Annotated[RowId | None, Form()] = None
) -> ThingAdded:
    """An ICC file, as a new profile or as the newer one of a profile that is on the Shelf."""
    content = file.file.read(profiles.MOST_BYTES + 1)
    name = (file.filename or "profile")[-200:].encode(errors="replace").decode()
    made = profiles.take(shop, content, name, instead_of)
    return ThingAdded(id=made, shelf=show_shelf(shop))


@router.get("/profiles/{row_id}/file", response_class=FileResponse, dependencies=books)
def save_profile(shop: ShopHere, row_id: int) -> FileResponse:
    """The ICC file as it came."""
    held = within(shop, lambda session: profiles.profile_there(session, row_id))
    return FileResponse(
        shop.blobs.path(held.content_sha), media_type="application/octet-stream", filename=f"{held.name}.icc"
    )


@router.get("/open", dependencies=books)
def show_open(shop: ShopHere) -> list[OpenShown]:
    """What the shop still lacks before it can work."""
    open_now = within(shop, set_up.still_open)
    return [OpenShown(what=one.what, words=one.words, place=one.place) for one in open_now]


@router.get("/nearby", dependencies=books)
def look_round() -> list[NearbyShown]:
    """Machines that announce themselves on the network, and the ports of this computer; takes a few seconds."""
    return [
        NearbyShown(kind=one.kind, name=one.name, address=one.address, words=one.words) for one in asking.look_round()
    ]


@router.post("/{kind}")
def add_to_shelf(shop: ShopHere, kind: str, asked: AddAsked) -> ThingAdded:
    made = within(shop, lambda session: filling.add(session, kind, asked))
    return ThingAdded(id=made, shelf=show_shelf(shop))


@router.post("/{kind}/{row_id}")
def change_shelf(shop: ShopHere, kind: str, row_id: int, asked: ShelfEdit) -> ShelfShown:
    within(shop, lambda session: keeping.change(session, kind, row_id, asked.version, asked.changes, asked.reason))
    return show_shelf(shop)


@router.get("/roll/{row_id}/ledger", dependencies=books)
def show_ledger(shop: ShopHere, row_id: int) -> list[RollEntryShown]:
    """Newest first; it adds up to what is left."""
    return within(shop, lambda session: keeping.ledger_shown(session, row_id))


@router.get("/roll/{row_id}/label", response_class=Response)
def show_label(shop: ShopHere, row_id: int) -> Response:
    """A PDF at its real size, to be printed and put on the core or the box."""
    page = within(shop, lambda session: keeping.label_of(session, row_id))
    return Response(page, media_type="application/pdf")


@router.delete("/{kind}/{row_id}")
def remove_from_shelf(shop: ShopHere, kind: str, row_id: int) -> ShelfShown:
    """For good; while something uses it, it can only be put away (a change of `away`)."""
    within(shop, lambda session: filling.remove(session, kind, row_id))
    return show_shelf(shop)


@router.post("/{kind}/{row_id}/ask")
def ask_machine(shop: ShopHere, kind: str, row_id: int) -> WhoAnswered:
    """Ask a machine who it is. Nothing moves, and nothing is printed."""
    return asking.ask(shop, kind, row_id)
