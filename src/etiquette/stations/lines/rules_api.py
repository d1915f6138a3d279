"""Line rules: read, changed, tried on art, carried from shop to shop as a file."""

from fastapi import APIRouter
from fastapi.responses import JSONResponse

from etiquette.files.line_rules import RulesFile
from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import line_rules
from etiquette.stations.lines import path_picking, trying
from etiquette.stations.lines.schemas import RuleFrom, RulesAsked, RulesShown, RulesTried

router = APIRouter(prefix="/api/rules", tags=["lines"], dependencies=[needs(Right.KEEP)])


@router.get("")
def show_rules(shop: ShopHere) -> RulesShown:
    held = within(shop, line_rules.rules_file)
    return RulesShown(
        version=within(shop, line_rules.rules_version), rules=held.rules, names=held.names, numbered=held.numbered
    )


@router.put("")
def keep_rules(shop: ShopHere, asked: RulesAsked) -> RulesShown:
    kept = RulesFile(rules=asked.rules, names=asked.names, numbered=asked.numbered)
    within(shop, lambda session: line_rules.keep_rules(session, asked.version, kept))
    return show_rules(shop)


@router.get("/file", response_class=JSONResponse)
def export_rules(shop: ShopHere) -> JSONResponse:
    """RULES.json, as the command `lines --rules` takes it."""
    content = within(shop, line_rules.rules_file).model_dump()
    return JSONResponse(content, headers={"Content-Disposition": 'attachment; filename="RULES.json"'})


@router.post("/from/{design_id}")
def make_rule(shop: ShopHere, design_id: int, asked: RuleFrom) -> RulesShown:
    """What is like a path of this design is a line from now on, in every design."""
    path_picking.make_rule(shop, design_id, asked.number, asked.by)
    return show_rules(shop)


@router.post("/try/{design_id}")
def try_rules(shop: ShopHere, design_id: int, asked: RulesFile) -> RulesTried:
    found, names = trying.try_rules(shop, design_id, asked.to_rules())
    return RulesTried(caught=found.caught, why=found.why, suspects=found.suspects, names=names)
