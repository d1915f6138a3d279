"""Papers of a job, as pages that any browser prints or saves as PDF: the traveller that goes with the material, and the
slip of what was handed over. Whatever script a name is in, the browser has letters for it."""

from collections.abc import Sequence
from html import escape

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.core.marking.codes import code_modules
from etiquette.stations.clock import clock_of
from etiquette.stations.floor.handing_over import handovers_of
from etiquette.stations.floor.jobs import job_there
from etiquette.stations.job_pieces import counted, runs_of
from etiquette.store.models import Frame, Job, Setting, Stock

JOB_SIGN = "JOB"
STYLE = """
@page { margin: 14mm }
body { font: 11pt/1.45 "Archivo Variable", sans-serif; color: #20262b; margin: 24px;
  max-width: 182mm }
h1 { font-size: 20pt; margin: 0 } header { display: flex; justify-content: space-between; align-items: flex-start }
p { margin: 2mm 0 } .slate { color: #5c666b } table { width: 100%; border-collapse: collapse; margin: 5mm 0 }
td, th { border-bottom: 0.3mm solid #c9c8be; padding: 2mm 2mm 2mm 0; text-align: left; vertical-align: middle }
td.n, th.n { text-align: right; padding-right: 0 } img { max-width: 26mm; max-height: 20mm; display: block }
.sign { margin-top: 18mm; border-top: 0.3mm solid #20262b; width: 80mm; padding-top: 1mm }
svg { width: 26mm; height: 26mm } .code { font-family: "B612 Mono", monospace }
@media print { body { margin: 0 } }
"""


def job_payload(job_id: int) -> str:
    """What the code on a traveller says; Find knows it."""
    return f"{JOB_SIGN} {job_id}"


def job_number(scanned: str) -> int | None:
    """The job of a scanned or typed code; None: it is none of a job."""
    sign, _, number = scanned.strip().upper().partition(" ")
    return int(number) if sign == JOB_SIGN and number.isdecimal() and len(number) < 10 else None


def traveller(session: Session, job_id: int) -> str:
    """With the job's code, its pictures and counts, its runs with their frame codes, its notes. Raises NotThere."""
    job = job_there(session, job_id)
    ids = [design.id for design in job.designs]
    pieces, runs = counted(session, ids), runs_of(session, ids)
    there = {run.id: run for found in runs.values() for run in found}
    codes: dict[int, list[str]] = {}
    for run_id, code in session.execute(
        select(Frame.run_id, Frame.code).where(Frame.run_id.in_(there)).order_by(Frame.run_id, Frame.number)
    ).tuples():
        codes.setdefault(run_id, []).append(code)
    rows = [
        (
            f'<img src="/api/designs/{design.id}/thumb" alt="">',
            escape(design.name or ""),
            ", ".join(escape(run.name) for run in runs[design.id]),
            f"{pieces[design.id].pieces.due}"
            + (f" + {pieces[design.id].pieces.spares}" if pieces[design.id].pieces.spares else ""),
        )
        for design in job.designs
    ]
    frames = [
        (escape(run.name), f'<span class="code">{" ".join(codes.get(run.id, []))}</span>') for run in there.values()
    ]
    stock = session.get(Stock, job.stock_id or 0)
    facts = [f"for {escape(job.customer)}", f"due {job.due:%-d %b %Y}" if job.due else "without a day"]
    if stock is not None:
        facts.append(f"on {escape(stock.name)}")
    notes = "".join(f"<p>{escape(line)}</p>" for line in job.notes.splitlines() if line.strip())
    body = f"""
<header><div><h1>{escape(job.name)}</h1><p>{" · ".join(facts)}</p><p class="code">{job_payload(job.id)}</p></div>
{_code(job_payload(job.id))}</header>
{table_of(("", "Design", "In runs", "Pieces"), rows)}
{table_of(("Run", "Frames"), frames) if frames else ""}{notes}"""
    return page_of(session, job, "Traveller", body)


def slip(session: Session, job_id: int, handover_id: int) -> str:
    """What was handed over at one time, to be signed for. Raises NotThere."""
    job = job_there(session, job_id)
    made = next((one for one in handovers_of(session, job_id) if one.id == handover_id), None)
    if made is None:
        raise NotThere("There is no such slip.", f"slip {handover_id}", "Look at the job again.")
    names = {design.id: design.name or "" for design in job.designs}
    rows = [
        (f'<img src="/api/designs/{one.design_id}/thumb" alt="">', escape(names.get(one.design_id, "")), f"{one.count}")
        for one in made.items
    ]
    note = f"<p>{escape(made.note)}</p>" if made.note else ""
    body = f"""
<header><div><h1>{escape(job.name)}</h1><p>for {escape(job.customer)}</p></div>
<div><p>Slip {made.id}</p><p>{clock_of(session).day(made.at):%-d %B %Y}</p></div></header>
{table_of(("", "Design", "Pieces"), rows)}{note}<p class="sign slate">received</p>"""
    return page_of(session, job, f"Slip {made.id}", body)


def table_of(heads: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    """The last column holds figures, where it is called pieces or price."""

    def cells(kind: str, values: Sequence[str]) -> str:
        figures = ' class="n"' if heads[-1] in ("Pieces", "Price") else ""
        return "".join(
            f"<{kind}{figures if at == len(values) - 1 else ''}>{value}</{kind}>" for at, value in enumerate(values)
        )

    body = "".join(f"<tr>{cells('td', row)}</tr>" for row in rows)
    return f"<table><thead><tr>{cells('th', heads)}</tr></thead><tbody>{body}</tbody></table>"


def _code(payload: str) -> str:
    modules = code_modules("qr", payload)
    dark = "".join(f"M{x} {y}h1v1h-1z" for y, x in zip(*modules.nonzero(), strict=True))
    size = len(modules)
    return f'<svg viewBox="-4 -4 {size + 8} {size + 8}" role="img" aria-label="{payload}"><path d="{dark}"/></svg>'


def page_of(session: Session, job: Job, kind: str, body: str) -> str:
    shop = session.get(Setting, "shop")
    name = f'<p class="slate">{escape(shop.value)}</p>' if shop else ""
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{kind}: {escape(job.name)}</title>'
        f"<style>{STYLE}</style></head><body>{name}{body}</body></html>"
    )
