"""``python -m legatum`` is the command ``legatum``."""

import gc
import sys


def start() -> None:
    """Runs the command that was typed, and ends the program. Interruptions are listened for before anything else is
    loaded."""
    from legatum.cli.program.interruption import leave, listen, no_longer

    listen()
    from legatum.cli.program.main import main, unwritten
    from legatum.cli.program.output import lost, take_over

    take_over()
    try:
        status = main(sys.argv[1:])
        sys.stdout.flush()
        if (error := lost()) is not None:
            told = unwritten(error)
            status = status if status > 1 else told
        no_longer()
        # the process ends: what is left of a large zone need not be looked through once more, which takes seconds
        gc.freeze()
    except KeyboardInterrupt:
        leave()
    sys.exit(status)


if __name__ == "__main__":
    start()
