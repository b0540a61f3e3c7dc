"""The program, loaded once and started many times: most of what a short command costs is reading its modules.

``python -m tests.starter SOCKET`` loads everything and forks for each request that comes over the socket; what runs
then is what ``legatum`` runs, in a process of its own. That the installed command itself starts is tested by those who
type whole lines.
"""

import importlib
import json
import os
import pkgutil
import signal
import socket
import sys
from pathlib import Path

import legatum
from legatum.__main__ import start


def main(place: str) -> None:
    for module in pkgutil.walk_packages(legatum.__path__, "legatum."):
        if not module.name.endswith("__main__"):
            importlib.import_module(module.name)
    for name in ("dns.rdtypes.ANY.TXT", "dns.zone", "dns.dnssec", "httpx", "lxml.etree", "rich.live"):
        importlib.import_module(name)
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for those who serve a request
    with socket.socket(socket.AF_UNIX) as listener:
        listener.bind(place)
        listener.listen(64)
        print("ready", flush=True)
        parent = os.getppid()
        listener.settimeout(5)
        while os.getppid() == parent:
            try:
                connection, _ = listener.accept()
            except TimeoutError:
                continue
            if os.fork() == 0:
                serve(connection)
            connection.close()


def serve(connection: socket.socket) -> None:
    """Runs one command, and tells its process id and then its status."""
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    with connection, connection.makefile("rw") as lines:
        request = json.loads(lines.readline())
        pid = os.fork()
        if pid == 0:
            become(request)
        print(pid, file=lines, flush=True)
        print(os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]), file=lines, flush=True)
    os._exit(0)


def become(request: dict[str, str]) -> None:
    signal.signal(signal.SIGINT, signal.default_int_handler)
    os.chdir(request["folder"])
    os.environ.clear()
    os.environ.update(request["environment"])  # type: ignore[arg-type]
    for number, name in enumerate(("stdin", "stdout", "stderr")):
        flags = os.O_RDONLY if number == 0 else os.O_WRONLY | os.O_CREAT | os.O_TRUNC
        os.dup2(os.open(Path(request["streams"]) / name, flags, 0o600), number)
    exec(request["before"], {})  # something that is to go otherwise than usual
    sys.argv = ["legatum", *request["words"]]
    status: object = 0
    try:
        start()
    except SystemExit as ended:
        status = ended.code
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
    os._exit(status if isinstance(status, int) else 1)


if __name__ == "__main__":
    main(sys.argv[1])
