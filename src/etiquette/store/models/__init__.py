"""What is kept: SQLAlchemy models by what belongs together. Lengths are millimetres, times are UTC, money is
decimal."""

from etiquette.store.models.base import Base, Setting, now
from etiquette.store.models.beds import Holder
from etiquette.store.models.care import Care
from etiquette.store.models.designs import Art, Blob, Customer, Design, Job, KeptFile, LineResult, LineRules
from etiquette.store.models.handovers import Handover, HandoverItem
from etiquette.store.models.intake import DropFolder, Order, OrderState
from etiquette.store.models.people import Account, AuditEntry, ShopToken, SignIn, SignInFailure, SignInLink
from etiquette.store.models.pieces import PlateItem, RunItem
from etiquette.store.models.proofs import Proof
from etiquette.store.models.recipes import Recipe
from etiquette.store.models.rows import DataTable, ShopFont
from etiquette.store.models.runs import BenchEntry, Edit, Frame, MorePlate, Plate, Run, Sheet
from etiquette.store.models.shelf import (
    CardReading,
    ColourProfile,
    Cutter,
    InkColour,
    Laminator,
    MarkSet,
    Printer,
    PrintMode,
    Roll,
    RollEntry,
    ShopPrice,
    SpecialInk,
    Stock,
    ToolCard,
)
from etiquette.store.models.tasks import Machine, Task, TaskEvent
from etiquette.store.models.webs import Finisher, KeptDie, LabelWeb, WebPart

__all__ = [
    "Account",
    "Art",
    "AuditEntry",
    "Base",
    "BenchEntry",
    "Blob",
    "CardReading",
    "Care",
    "ColourProfile",
    "Customer",
    "Cutter",
    "DataTable",
    "Design",
    "DropFolder",
    "Edit",
    "Finisher",
    "Frame",
    "Handover",
    "HandoverItem",
    "Holder",
    "InkColour",
    "Job",
    "KeptDie",
    "KeptFile",
    "LabelWeb",
    "Laminator",
    "LineResult",
    "LineRules",
    "Machine",
    "MarkSet",
    "MorePlate",
    "Order",
    "OrderState",
    "Plate",
    "PlateItem",
    "PrintMode",
    "Printer",
    "Proof",
    "Recipe",
    "Roll",
    "RollEntry",
    "Run",
    "RunItem",
    "Setting",
    "Sheet",
    "ShopFont",
    "ShopPrice",
    "ShopToken",
    "SignIn",
    "SignInFailure",
    "SignInLink",
    "SpecialInk",
    "Stock",
    "Task",
    "TaskEvent",
    "ToolCard",
    "WebPart",
    "now",
]
