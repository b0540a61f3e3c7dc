"""A program that is killed at a given point of a given step: what its process does first."""

import textwrap

AFTER_INTENT, BEFORE_RECORD, AFTER_RECORD = "after the intent", "before the record", "after the record"
POINTS = (AFTER_INTENT, BEFORE_RECORD, AFTER_RECORD)

_DEADLY = textwrap.dedent("""
    import os, signal
    from legatum.journal.journal import Journal
    point, step = POINT

    def kill():
        os.kill(os.getpid(), signal.SIGKILL)

    intend, settle = Journal.intend, Journal.settle

    def deadly_intend(self, move, domain, at_step, *words):
        intend(self, move, domain, at_step, *words)
        if (point, step) == ("after the intent", at_step):
            kill()

    def deadly_settle(self, move, domain, outcome, at, replies):
        if (point, step) == ("before the record", outcome.step):
            kill()
        settle(self, move, domain, outcome, at, replies)
        if (point, step) == ("after the record", outcome.step):
            kill()

    Journal.intend, Journal.settle = deadly_intend, deadly_settle
""")


def deadly(point: str, step: str) -> str:
    return _DEADLY.replace("POINT", repr((point, step)))


_AT_WRITE = textwrap.dedent("""
    import os, signal
    from legatum.journal.journal import Journal
    left, before = NUMBER, BEFORE
    write = Journal._write

    def deadly_write(self, *words):
        global left
        left -= 1
        if left == 0 and before:
            os.kill(os.getpid(), signal.SIGKILL)
        number = write(self, *words)
        if left == 0:
            os.kill(os.getpid(), signal.SIGKILL)
        return number

    Journal._write = deadly_write
""")


def deadly_at(turn: int) -> str:
    """Killed right after its first line in the journal, before its second, after its third, and so on in turns: with
    nothing done, with an effect that nobody noted, with the next step begun."""
    number = turn % 3 + 1
    return _AT_WRITE.replace("NUMBER", str(number)).replace("BEFORE", str(number == 2))
