"""The forms that a journal has had: what each added to the one before it, and how that is taken away again.

A journal that bears no number was made before there were numbers: it is of the first form, with some or all of the
second.
"""

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Form:
    """``made``: statements that do no harm where they were carried out before, ``{number}`` and ``{octets}`` for what
    databases call differently; ``columns``: table, name, definition; ``filled``: statements that put into new columns
    what rows of the form before tell; ``dropped``: tables that are not of the form before."""

    made: tuple[str, ...] = ()
    columns: tuple[tuple[str, str, str], ...] = field(default=())
    filled: tuple[str, ...] = ()
    dropped: tuple[str, ...] = ()


FORMS = (
    Form(
        made=(
            """CREATE TABLE IF NOT EXISTS entries (
                number {number}, move TEXT NOT NULL, domain TEXT NOT NULL, step TEXT NOT NULL, kind TEXT NOT NULL,
                at DOUBLE PRECISION NOT NULL, text TEXT NOT NULL, facts TEXT NOT NULL)""",
            "CREATE INDEX IF NOT EXISTS ix_entries_move ON entries (move)",
            "CREATE INDEX IF NOT EXISTS ix_entries_domain ON entries (domain)",
            """CREATE TABLE IF NOT EXISTS replies (
                number {number}, entry BIGINT NOT NULL REFERENCES entries (number), at DOUBLE PRECISION NOT NULL,
                server TEXT NOT NULL, name TEXT NOT NULL, type TEXT NOT NULL, transport TEXT NOT NULL,
                took DOUBLE PRECISION NOT NULL, outcome TEXT NOT NULL, wire {octets} NOT NULL)""",
            "CREATE INDEX IF NOT EXISTS ix_replies_entry ON replies (entry)",
            """CREATE TABLE IF NOT EXISTS memory (
                number {number}, domain TEXT NOT NULL, place TEXT NOT NULL, name TEXT NOT NULL, type TEXT NOT NULL,
                ttl BIGINT NOT NULL, data TEXT NOT NULL,
                first DOUBLE PRECISION NOT NULL, last DOUBLE PRECISION NOT NULL)""",
            "CREATE INDEX IF NOT EXISTS ix_memory_domain ON memory (domain)",
            """CREATE TABLE IF NOT EXISTS occupations (
                domain TEXT PRIMARY KEY, who TEXT NOT NULL, process BIGINT NOT NULL,
                since DOUBLE PRECISION NOT NULL)""",
        ),
    ),
    Form(
        made=(
            "CREATE TABLE IF NOT EXISTS standings (file TEXT PRIMARY KEY, mark TEXT NOT NULL, standing TEXT NOT NULL)",
            """CREATE TABLE IF NOT EXISTS surveys (
                domain TEXT PRIMARY KEY, at DOUBLE PRECISION NOT NULL, findings TEXT NOT NULL,
                signed_until DOUBLE PRECISION)""",
        ),
        columns=(
            ("entries", "who", "TEXT NOT NULL DEFAULT ''"),
            ("entries", "changes", "TEXT NOT NULL DEFAULT '[]'"),
            ("replies", "query", "{octets}"),
            ("replies", "trouble", "TEXT NOT NULL DEFAULT ''"),
            ("replies", "tries", "BIGINT NOT NULL DEFAULT 1"),
            ("replies", "cut", "BIGINT NOT NULL DEFAULT 0"),
        ),
        dropped=("surveys", "standings"),
    ),
    Form(
        made=(
            """CREATE TABLE IF NOT EXISTS files (
                name TEXT PRIMARY KEY, mark TEXT NOT NULL, content {octets} NOT NULL, who TEXT NOT NULL,
                at DOUBLE PRECISION NOT NULL)""",
        ),
        dropped=("files",),
    ),
    Form(
        columns=(("memory", "gone", "DOUBLE PRECISION"),),
        filled=(  # before, what came later at the same place had taken its place
            """UPDATE memory SET gone = (
                SELECT min(later.first) FROM memory AS later
                WHERE later.domain = memory.domain AND later.place = memory.place AND later.name = memory.name
                AND later.type = memory.type AND later.number > memory.number) WHERE gone IS NULL""",
        ),
    ),
)
PRESENT = len(FORMS)
NUMBERED = ("entries", "replies", "memory")
"""Tables whose rows number themselves."""
KEPT = (*NUMBERED, "surveys", "files")
"""What is copied, in this order; the other tables say who is at work here, and what was worked out from files here."""
