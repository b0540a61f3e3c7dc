"""Result codes (RFC 5730 s3) and what each means for the user."""

OK, PENDING, NO_MESSAGES, MESSAGE, OK_ENDING = 1000, 1001, 1300, 1301, 1500
UNKNOWN_COMMAND, SYNTAX, USE, MISSING, RANGE = 2000, 2001, 2002, 2003, 2004
NOT_SERVED, OPTION, EXTENSION = 2101, 2102, 2103
NOT_RENEWABLE, NOT_TRANSFERABLE = 2105, 2106
AUTHENTICATION, AUTHORISATION, WRONG_CODE = 2200, 2201, 2202
TRANSFER_PENDING, NO_TRANSFER, EXISTS, NOT_THERE = 2300, 2301, 2302, 2303
STATUS_PROHIBITS, IN_USE, PARAMETER_POLICY, FAILED, ENDING_AUTHENTICATION = 2304, 2305, 2306, 2400, 2501

MEANINGS = {
    1000: "done",
    1001: "accepted, still pending",
    1300: "no messages",
    1301: "message waiting",
    1500: "done, session ended",
    2000: "unknown command",
    2001: "syntax error",
    2002: "not now: log in first, or only once",
    2003: "something required is missing",
    2004: "a value is out of range",
    2005: "a value is malformed",
    2100: "protocol version not served",
    2101: "command not served here",
    2102: "option not served here",
    2103: "extension not served here",
    2104: "not paid for",
    2105: "not eligible for renewal",
    2106: "not eligible for transfer: too young, transferred lately, or with this registrar already",
    2200: "user name or password wrong",
    2201: "not allowed for this registrar",
    2202: "authorisation code wrong",
    2300: "a transfer is pending already",
    2301: "no transfer is pending",
    2302: "exists already",
    2303: "does not exist at the registry",
    2304: "the object's status forbids it",
    2305: "something still uses it",
    2306: "a value is against the registry's policy",
    2307: "service not served",
    2308: "against the registry's data policy",
    2400: "the registry failed",
    2500: "the registry failed and ended the session",
    2501: "user name or password wrong, session ended",
    2502: "too many sessions, session ended",
}


def meaning(code: int) -> str:
    """What a result code means for the user; by its family for codes not in the RFC."""
    if code in MEANINGS:
        return MEANINGS[code]
    return (
        "done, in a way this program does not know"
        if code < 2000
        else "refused, for a reason this program does not know"
    )
