"""What went wrong, for ``--json``: one line, so that it can close a stream of lines too."""

import msgspec

from legatum.core.running.fault import Fault
from legatum.core.text.printable import one_line
from legatum.views.document import Document


class FaultDocument(Document, tag="legatum.fault/1"):
    """``status``: the exit status. ``remedy``: what to do, empty where nothing is known to help."""

    message: str
    remedy: str
    status: int


def fault_document(fault: Fault) -> FaultDocument:
    return FaultDocument(message=one_line(fault.message), remedy=one_line(fault.remedy), status=fault.status)


def fault_line(fault: Fault) -> str:
    return msgspec.json.encode(fault_document(fault)).decode() + "\n"
