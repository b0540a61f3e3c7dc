"""Documents: what ``--json`` prints, and what text is made from. One JSON object, with a ``schema`` that names its
kind.

Names are texts without final dot, instants RFC 3339 in UTC, durations seconds. ``make docs`` writes the
JSON Schema of each to docs/schema/.
"""

import msgspec


class Part(msgspec.Struct, kw_only=True):
    """A part of a document."""


class Document(msgspec.Struct, tag_field="schema", kw_only=True):
    """A whole document; each kind gives its ``tag``."""


def json_text(document: Document) -> str:
    return msgspec.json.format(msgspec.json.encode(document), indent=2).decode() + "\n"
