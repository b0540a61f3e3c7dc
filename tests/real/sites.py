"""Web and mail servers from Debian's packages on loopback addresses of their own, and some that do what no server
should."""

import socket
import ssl
import subprocess
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from tests.real.processes import program


@dataclass
class Site:
    """One name at one address. ``body``: of its page, nginx variables filled in; ``pem``: certificate and key, none for
    http alone; ``more``: lines of configuration."""

    address: str
    names: str
    body: str
    pem: Path | None = None
    more: str = ""
    to_https: bool = True
    hsts: bool = True
    status: int = 200


@dataclass
class Nginx:
    folder: Path
    sites: list[Site] = field(default_factory=list)
    process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self.folder.mkdir()
        blocks = [block for each in self.sites for block in _blocks(each)]
        (self.folder / "nginx.conf").write_text(
            f"daemon off; master_process off; user root; pid {self.folder}/pid; error_log "
            f"{self.folder}/error.log;\nevents {{ }}\n"
            "http { access_log off; default_type text/html; server_names_hash_bucket_size 128;\n"
            + "".join(
                f"{kind}_temp_path {self.folder}/{kind};\n"
                for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
            )
            + "\n".join(blocks)
            + "\n}\n"
        )
        words = [program("nginx") or "nginx", "-e", f"{self.folder}/error.log", "-c", f"{self.folder}/nginx.conf"]
        with (self.folder / "log").open("wb") as log:
            self.process = subprocess.Popen(words, stdout=log, stderr=subprocess.STDOUT)
        for each in self.sites:
            until_open(each.address, 443 if each.pem else 80, self.folder)


def _blocks(site: Site) -> list[str]:
    page = f"return {site.status} '{site.body}';"
    hsts = "add_header Strict-Transport-Security max-age=31536000 always;" if site.hsts else ""
    plain = "return 301 https://$host$request_uri;" if site.to_https and site.pem else page
    found = [f"server {{ listen {site.address}:80; server_name {site.names}; {site.more} location / {{ {plain} }} }}"]
    if site.pem:
        tls = f"listen {site.address}:443 ssl http2; ssl_certificate {site.pem}; ssl_certificate_key {site.pem};"
        found.append(f"server {{ {tls} server_name {site.names}; {site.more} location / {{ {hsts} {page} }} }}")
    return found


@dataclass
class Exim:
    """``domains``: for which it takes mail; ``pem``: for STARTTLS, none for no TLS."""

    folder: Path
    address: str
    domains: str
    pem: Path | None = None
    process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self.folder.mkdir()
        self.folder.chmod(0o777)
        tls = (
            f"tls_advertise_hosts = *\ntls_certificate = {self.pem}\ntls_privatekey = {self.pem}\n"
            if self.pem
            else "tls_advertise_hosts =\n"
        )
        (self.folder / "exim.conf").write_text(
            "primary_hostname = mail.kilnandclay.example\ndaemon_smtp_ports = 25 : 587\nlocal_interfaces = "
            f"{self.address}\n"
            f"spool_directory = {self.folder}/spool\nlog_file_path = {self.folder}/%slog\npid_file_path = "
            f"{self.folder}/pid\n"
            f"exim_user = root\nexim_group = root\nnever_users =\n{tls}domainlist ours = {self.domains}\n"
            "acl_smtp_rcpt = check\n"
            "host_lookup =\nrfc1413_hosts =\nbegin acl\ncheck:\n  accept domains = +ours\n  deny message = "
            "relay not permitted\n"
            "begin routers\nbegin transports\nbegin retry\nbegin rewrite\nbegin authenticators\n"
        )
        words = [program("exim4") or "exim4", "-C", f"{self.folder}/exim.conf", "-bdf"]
        with (self.folder / "log").open("wb") as log:
            self.process = subprocess.Popen(words, stdout=log, stderr=subprocess.STDOUT)
        until_open(self.address, 25, self.folder)


@dataclass
class Dovecot:
    folder: Path
    address: str
    pem: Path
    process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self.folder.mkdir()
        (self.folder / "dovecot.conf").write_text(
            f"base_dir = {self.folder}/run\nstate_dir = {self.folder}/state\nprotocols = imap\nlisten = "
            f"{self.address}\nssl = required\n"
            f"ssl_cert = <{self.pem}\nssl_key = <{self.pem}\nlog_path = {self.folder}/dovecot.log\n"
            "service imap-login "
            "{\n  inet_listener imap {\n    port = 0\n  }\n  inet_listener imaps {\n    port = 993\n    ssl = yes\n"
            "  }\n}\npassdb {\n  driver = static\n  args = nopassword=y\n}\n"
            "userdb {\n  driver = static\n  args = uid=65534 gid=65534 home=/nonexistent\n}\n"
        )
        words = [program("dovecot") or "dovecot", "-F", "-c", f"{self.folder}/dovecot.conf"]
        with (self.folder / "log").open("wb") as log:
            self.process = subprocess.Popen(words, stdout=log, stderr=subprocess.STDOUT)
        until_open(self.address, 993, self.folder)


def until_open(address: str, port: int, folder: Path, patience: float = 30) -> None:
    """Until somebody listens there."""
    deadline = time.monotonic() + patience
    while True:
        try:
            socket.create_connection((address, port), 2).close()
            return
        except OSError:
            logs = "\n".join(
                each.read_text(errors="replace")[-1500:] for each in folder.glob("*log*") if each.is_file()
            )
            assert time.monotonic() < deadline, f"nobody listens at {address}:{port}\n{logs}"
            time.sleep(0.05)


class Rogue:
    """A server that does one thing, whatever it is asked. ``act(connection)``; with ``pem`` over TLS."""

    def __init__(self, address: str, port: int, act: Callable[[socket.socket], None], pem: Path | None = None) -> None:
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        self._socket.bind((address, port))
        self._socket.listen(16)
        self._tls = None
        if pem:
            self._tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
            self._tls.load_cert_chain(pem)
        self._act = act
        threading.Thread(target=self._serve, daemon=True).start()

    def close(self) -> None:
        self._socket.close()

    def _serve(self) -> None:
        while True:
            try:
                connection, _ = self._socket.accept()
            except OSError:
                return
            threading.Thread(target=self._one, args=(connection,), daemon=True).start()

    def _one(self, connection: socket.socket) -> None:
        try:
            with self._tls.wrap_socket(connection, server_side=True) if self._tls else connection as talk:
                self._act(talk)
        except OSError:
            return


HEAD = b"HTTP/1.1 200 OK\r\ncontent-type: text/html\r\nconnection: close\r\n"


def huge(talk: socket.socket) -> None:
    """A page of 100 MB."""
    talk.recv(4096)
    talk.sendall(HEAD + b"\r\n<title>Huge</title><body>")
    for _ in range(1600):
        talk.sendall(b"word " * 13_107)


def trickling(talk: socket.socket) -> None:
    """A byte a second, for ever."""
    talk.recv(4096)
    for octet in HEAD + b"\r\n" + b"x" * 10_000:
        talk.sendall(bytes([octet]))
        time.sleep(1)


def wild(talk: socket.socket) -> None:
    """Markup and terminal control where people read."""
    talk.recv(4096)
    talk.sendall(
        HEAD + b"\r\n<title>\x1b[2J\x1b]0;owned\x07<b>bold</b> &lt;script&gt;alert(1)&lt;/script&gt;</title>"
        b"<body>hello there</body>"
    )


def of_mail(talk: socket.socket) -> None:
    """A mail server's words on a web server's port, and the other way round."""
    talk.sendall(b"220 \x1b[31mmail.kilnandclay.example\x1b[0m <script> ready\r\n")
    talk.recv(4096)
    time.sleep(0.2)


def endless_line(talk: socket.socket) -> None:
    """A greeting that does not end."""
    while True:
        talk.sendall(b"220-" + b"a" * 60_000)


def silent(talk: socket.socket) -> None:
    """It listens, and says nothing."""
    time.sleep(60)
