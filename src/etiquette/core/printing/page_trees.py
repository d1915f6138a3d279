"""Many pages in one PDF."""

from collections.abc import Sequence

import pikepdf
from pikepdf import Array, Dictionary, Name

MOST_KIDS = 200


def plant(pdf: pikepdf.Pdf, pages: Sequence[pikepdf.Object]) -> None:
    """The tree of pages (ISO 32000-1, 7.7.3), in branches that a reader need not read all of."""
    root = pdf.Root.Pages
    branches = []
    for at in range(0, len(pages), MOST_KIDS):
        kids = pages[at : at + MOST_KIDS]
        branch = pdf.make_indirect(Dictionary(Type=Name.Pages, Parent=root, Kids=Array(kids), Count=len(kids)))
        for kid in kids:
            kid.Parent = branch
        branches.append(branch)
    root.Kids, root.Count = Array(branches), len(pages)
