"""State reasons of printers (RFC 8011, 5.4.12; PWG 5100.9), in words that tell hands what to do."""

from collections.abc import Sequence

WORDS: dict[str, str] = {
    "media-empty": "the stock has run out",
    "media-needed": "it wants a stock put on",
    "media-jam": "the stock is jammed",
    "media-low": "the stock is running low",
    "cover-open": "a cover is open",
    "door-open": "a door is open",
    "interlock-open": "a cover is open",
    "input-tray-missing": "the stock holder is missing",
    "marker-supply-empty": "an ink is empty",
    "marker-supply-low": "an ink is low",
    "marker-waste-full": "the waste ink is full",
    "toner-empty": "an ink is empty",
    "toner-low": "an ink is low",
    "output-area-full": "the catcher is full",
    "paused": "it is paused at its panel",
    "stopped-partly": "a part of it has stopped",
    "moving-to-paused": "it is being paused",
    "shutdown": "it is switched off",
    "connecting-to-device": "it is being connected",
    "timed-out": "it does not answer its controller",
    "spool-area-full": "its memory is full",
    "fuser-over-temp": "its heater is too hot",
    "aborted-by-system": "it gave the job up",
    "document-format-error": "it could not read the file",
    "unsupported-document-format": "it does not take this kind of file",
    "job-canceled-by-user": "it was cancelled",
    "job-canceled-by-operator": "it was cancelled at its panel",
    "job-canceled-at-device": "it was cancelled at its panel",
    "resources-are-not-ready": "what it needs is not ready",
}
SEVERITIES = ("-error", "-warning", "-report")
SILENT = frozenset(
    (
        "none",
        "job-printing",
        "job-completed-successfully",
        "job-incoming",
        "job-queued",
        "job-data-insufficient",
        "job-outgoing",
        "job-transforming",
        "job-fetchable",
        "printer-stopped",
        "processing-to-stop-point",
        "cups-waiting-for-job-completed",
    )
)
"""What needs no word: all is well, or the state says it already."""


GOES_ON = frozenset(("media-low", "marker-supply-low", "toner-low", "connecting-to-device", "stopped-partly"))
"""Known reasons that stop nothing, also without a severity."""


def stops(reasons: Sequence[str]) -> bool:
    """Whether hands have to do something before the printer goes on. A reason without a severity is an error
    (RFC 8011, 5.4.12); one that is not known stops only when it says so."""
    return any(one.endswith("-error") or (one in WORDS and one not in GOES_ON) for one in reasons)


HALF_SENT = frozenset(("job-data-insufficient", "job-incoming"))
"""Of a job that has not begun: all of it, or some, has not reached the printer (RFC 8011, 5.3.8)."""


def half_sent(reasons: Sequence[str]) -> bool:
    """Whether a printer still waits for the files of a job."""
    return not HALF_SENT.isdisjoint(reasons)


def worth_saying(reasons: Sequence[str]) -> tuple[str, ...]:
    """Without those that are reports: nobody has to do anything about them (RFC 8011, 5.4.12)."""
    return tuple(one for one in reasons if not one.endswith("-report"))


def in_words(reasons: Sequence[str]) -> str:
    """What is wrong, in a phrase; empty when nothing is. A reason that is not known is said in its own words."""
    told = []
    for reason in reasons:
        plain = next((reason.removesuffix(end) for end in SEVERITIES if reason.endswith(end)), reason)
        if plain not in SILENT and reason not in SILENT:
            told.append(WORDS.get(reason) or WORDS.get(plain) or plain.replace("-", " "))
    return ", ".join(dict.fromkeys(told))
