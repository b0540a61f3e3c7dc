"""EPP (RFC 5730-5734, with 5910 and 3915): documents to and from bytes, for both sides of a session; no sockets.

What the two sides share is what the RFCs say: the frames and XML (``document``), which elements stand where (``grammar``), what commands
are about (``objects``), the result codes (``codes``). A client writes ``commands`` and reads ``answers``; the registry stand-in reads
``orders`` - held against the grammar before anything else - and writes ``answers``. So the two can agree on the protocol, not on each
other's mistakes; the tests hold frames written from the RFCs' text against both.
"""

from legatum.wire.epp.answers import greeting, read_greeting, read_response, response
from legatum.wire.epp.codes import (
    AUTHENTICATION,
    AUTHORISATION,
    ENDING_AUTHENTICATION,
    EXISTS,
    EXTENSION,
    FAILED,
    IN_USE,
    MEANINGS,
    MESSAGE,
    MISSING,
    NO_MESSAGES,
    NO_TRANSFER,
    NOT_RENEWABLE,
    NOT_SERVED,
    NOT_THERE,
    NOT_TRANSFERABLE,
    OK,
    OK_ENDING,
    OPTION,
    PARAMETER_POLICY,
    PENDING,
    RANGE,
    STATUS_PROHIBITS,
    SYNTAX,
    TRANSFER_PENDING,
    UNKNOWN_COMMAND,
    USE,
    WRONG_CODE,
    meaning,
)  # fmt: skip
from legatum.wire.epp.commands import (
    EXTENSIONS,
    contact_create,
    contact_info,
    domain_check,
    domain_info,
    domain_renew,
    domain_restore,
    domain_transfer,
    domain_update,
    hello,
    host_check,
    host_create,
    host_delete,
    host_info,
    host_update,
    login,
    logout,
    poll,
)  # fmt: skip
from legatum.wire.epp.document import CONTACT, DOMAIN, EPP, HOST, MAX_FRAME, RGP, SECDNS, frame, frame_length
from legatum.wire.epp.grammar import conform
from legatum.wire.epp.objects import (
    Availability,
    Command,
    ContactData,
    DomainChange,
    DomainData,
    Glue,
    Greeting,
    HostData,
    Message,
    Response,
    TransferData,
)  # fmt: skip
from legatum.wire.epp.orders import read_command

__all__ = [
    "AUTHENTICATION", "AUTHORISATION", "CONTACT", "DOMAIN", "ENDING_AUTHENTICATION", "EPP", "EXISTS", "EXTENSION", "EXTENSIONS", "FAILED",
    "HOST", "IN_USE", "MAX_FRAME", "MEANINGS", "MESSAGE", "MISSING", "NOT_RENEWABLE", "NOT_SERVED", "NOT_THERE", "NOT_TRANSFERABLE",
    "NO_MESSAGES", "NO_TRANSFER", "OK", "OK_ENDING", "OPTION", "PARAMETER_POLICY", "PENDING", "RANGE", "RGP", "SECDNS", "STATUS_PROHIBITS",
    "SYNTAX", "TRANSFER_PENDING", "UNKNOWN_COMMAND", "USE", "WRONG_CODE", "Availability", "Command", "ContactData", "DomainChange",
    "DomainData", "Glue", "Greeting", "HostData", "Message", "Response", "TransferData", "conform", "contact_create",
    "contact_info", "domain_check", "domain_info", "domain_renew", "domain_restore", "domain_transfer", "domain_update",
    "frame", "frame_length", "greeting", "hello", "host_check", "host_create", "host_delete", "host_info", "host_update", "login", "logout",
    "meaning", "poll", "read_command", "read_greeting", "read_response", "response",
]  # fmt: skip
