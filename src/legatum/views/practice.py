"""What `practice` says, for ``--json``."""

import msgspec

from legatum.views.document import Document, Part


class PracticeDocument(Document, tag="legatum.practice/1"):
    """``settings``: the file of a world that has started. ``now``: its time after an order, and ``said`` what the order
    came to."""

    settings: str | None = None
    now: str | None = None
    said: str = ""


class PracticeQuestion(Part):
    """A question that a server of the world received; ``at``: the world's time."""

    at: str
    server: str
    transport: str
    name: str
    type: str
    outcome: str


class PracticeLog(Document, tag="legatum.practice-log/1"):
    questions: list[PracticeQuestion]


def practice_log(rows: list[dict[str, str]]) -> PracticeLog:
    return PracticeLog(questions=[msgspec.convert(row, PracticeQuestion) for row in rows])
