"""The tasks of the Shelf: test cards."""

from sqlalchemy.orm import Session

from etiquette.devices.registry import machine
from etiquette.stations.shelf.schemas import CardCut, CardEntered, CardPrinted, CardRead, PrintedCard
from etiquette.stations.shop import Shop
from etiquette.tasks.task import Outcome, Report, task


def _cutter_of(session: Session, arguments: CardEntered) -> str:
    from etiquette.stations.machines import printer_of_knife

    printer = printer_of_knife(session, arguments.cutter_id)
    return printer.key if printer else machine(session, "cutter", arguments.cutter_id).key


def _printer_of(session: Session, arguments: CardEntered) -> str:
    from etiquette.stations.shelf import card_printing

    return card_printing.printer_for_cards(session, arguments).key


@task("cut card", machine=_cutter_of, words="a test card is being cut")
def cut_card(shop: Shop, wanted: CardEntered, report: Report) -> Outcome[CardCut]:
    from etiquette.stations.shelf import card_cutting

    return card_cutting.cut_card(shop, wanted, report)


@task("read card", machine=_cutter_of, words="a test card is being read")
def read_card(shop: Shop, wanted: CardEntered, report: Report) -> Outcome[CardRead]:
    from etiquette.stations.shelf import card_cutting

    return card_cutting.read_card(shop, wanted, report)


@task("print card", machine=_printer_of, words="a test card is being printed", queues=True)
def print_card(shop: Shop, wanted: CardEntered, report: Report) -> Outcome[CardPrinted]:
    from etiquette.stations.shelf import card_printing

    return card_printing.print_card(shop, wanted, report)


@task("read printed card")
def read_printed_card(shop: Shop, wanted: PrintedCard, report: Report) -> Outcome[CardRead]:
    from etiquette.stations.shelf import card_printing

    return card_printing.read_printed_card(shop, wanted, report)
