"""The real server: behind a proxy that speaks TLS, on a port that is taken,
with a schema that is not its own.
"""

from __future__ import annotations

import http.client
import os
import re
import shutil
import socket
import sqlite3
import ssl
import stat
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.running.conftest import ROOT, free_port


def ask(port: int, path: str = "/sign-in", **headers: str) -> http.client.HTTPResponse:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    named = {name.replace("_", "-"): value for name, value in headers.items()}
    try:
        return read(connection, path, named)
    finally:
        connection.close()


def read(
    connection: http.client.HTTPConnection, path: str, headers: dict[str, str]
) -> http.client.HTTPResponse:
    connection.request("GET", path, headers={"Host": "garden.example", **headers})
    answer = connection.getresponse()
    answer.read()
    return answer


def test_a_proxy_says_that_the_request_came_by_tls(kilter):
    kilter.serve(KILTER_HTTPS="1")
    plain = ask(kilter.port)
    assert (plain.status, plain.headers["Location"]) == (301, "https://garden.example/sign-in")
    safe = ask(kilter.port, X_Forwarded_Proto="https")
    assert safe.status == 200
    assert "max-age=31536000" in safe.headers["Strict-Transport-Security"]
    assert "Secure" in safe.headers["Set-Cookie"]
    assert ask(kilter.port, "/healthz", X_Forwarded_Proto="https").status == 200
    assert ask(kilter.port, "/healthz").status == 200, "asked on the machine itself"


def test_nobody_else_is_believed(ready):
    ready.serve(KILTER_HTTPS="1", KILTER_PROXY="192.0.2.7")
    assert ask(ready.port, X_Forwarded_Proto="https").status == 301


def test_without_tls_no_forwarding_header_counts_and_the_garden_is_the_owners_alone(ready):
    ready.serve()
    answer = ask(ready.port, X_Forwarded_Proto="https")
    assert answer.status == 200
    assert "Secure" not in answer.headers["Set-Cookie"]
    assert stat.S_IMODE(ready.database.stat().st_mode) == 0o600
    second = ready.manage("serve")
    assert second.returncode == 1
    assert "Kilter serves" in second.stderr
    assert "stop it first" in second.stderr


def test_a_port_that_is_taken_is_named_and_nothing_is_started(ready, migrated):
    ready.serve()
    other = ready.manage(
        "serve", KILTER_DATABASE=shutil.copy(migrated, ready.folder / "other.sqlite3")
    )
    assert other.returncode == 1
    assert f"Port {ready.port} of 127.0.0.1 is taken" in other.stderr


@pytest.mark.parametrize("secret", ["", "short", "a" * 60, "abababab" * 8])
def test_a_secret_that_can_be_guessed_is_refused(kilter, secret):
    refused = kilter.manage("serve", KILTER_SECRET_KEY=secret)
    assert refused.returncode == 1
    assert "KILTER_SECRET_KEY" in refused.stderr
    assert not kilter.database.exists()


def test_a_database_that_lacks_a_table_is_not_served(ready):
    opened = sqlite3.connect(ready.database)
    opened.execute("DROP TABLE weigh_in_scale")
    opened.commit()
    opened.close()
    refused = ready.manage("serve")
    assert refused.returncode == 1
    assert "lacks the table weigh_in_scale" in refused.stderr
    assert "restore a backup" in refused.stderr


NGINX = "/usr/sbin/nginx"


def certificate(folder: Path) -> tuple[Path, Path]:
    """A certificate of one's own, made as docs/running.md says."""
    key, made = folder / "garden.key", folder / "garden.pem"
    words = "openssl req -x509 -newkey rsa:2048 -nodes -days 825 -subj /CN=garden.example"
    names = ["-addext", "subjectAltName=DNS:garden.example", "-keyout", str(key), "-out", str(made)]
    subprocess.run([*words.split(), *names], check=True, capture_output=True)
    assert words in (ROOT / "docs" / "running.md").read_text()
    return key, made


def test_the_proxys_configuration_in_the_docs_serves_kilter_by_tls(ready, tmp_path):
    if not Path(NGINX).exists():
        assert os.environ.get("CI") != "true", "CI has nginx"
        pytest.skip("nginx is not installed")
    key, made = certificate(tmp_path)
    http_port, https_port = free_port(), free_port()
    ready.serve(KILTER_HTTPS="1", KILTER_HOSTS="garden.example", KILTER_TLS_PORT=str(https_port))
    ours = (ROOT / "docs" / "nginx.conf").read_text()
    for said, here in (
        ("127.0.0.1:8000", f"127.0.0.1:{ready.port}"),
        ("/etc/ssl/kilter/garden.example.pem", str(made)),
        ("/etc/ssl/kilter/garden.example.key", str(key)),
        ("listen 80 default_server;", f"listen 127.0.0.1:{http_port} default_server;"),
        ("listen 443 ssl default_server;", f"listen 127.0.0.1:{https_port} ssl default_server;"),
        ("listen [::]:80 default_server;", ""),
        ("listen [::]:443 ssl default_server;", ""),
        ("listen 80;", f"listen 127.0.0.1:{http_port};"),
        ("listen [::]:80;", ""),
        ("listen 443 ssl;", f"listen 127.0.0.1:{https_port} ssl;"),
        ("listen [::]:443 ssl;", ""),
    ):
        assert said in ours
        ours = ours.replace(said, here)
    conf = tmp_path / "nginx.conf"
    paths = "".join(
        f"{kind}_temp_path {tmp_path}/{kind}; "
        for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    conf.write_text(
        f"daemon off; pid {tmp_path}/pid; error_log {tmp_path}/errors;\n"
        f"events {{}}\nhttp {{ access_log off; {paths}\n{ours}\n}}\n"
    )
    nginx = subprocess.Popen([NGINX, "-c", str(conf), "-p", str(tmp_path)])
    try:
        context = ssl.create_default_context(cafile=str(made))
        answer = None
        for _ in range(100):
            connection = by_name(context, https_port)
            try:
                answer = read(connection, "/sign-in", {})
                break
            except OSError:
                assert nginx.poll() is None, (tmp_path / "errors").read_text()
                time.sleep(0.1)
            finally:
                connection.close()
        assert answer is not None
        assert answer.status == 200
        assert "Secure" in answer.headers["Set-Cookie"]
        plain = ask(http_port)
        assert (plain.status, plain.headers["Location"]) == (301, "https://garden.example/sign-in")
        # A form is taken at a port of its own too: host and origin both carry it.
        site = f"garden.example:{https_port}"
        form, cookie = sign_in_form(context, https_port, site)
        assert form == 200, "a wrong password, and no page that has gone stale"
        assert cookie
        with pytest.raises((http.client.HTTPException, OSError)):
            ask(http_port, Host="elsewhere.example")
        other = ssl.create_default_context(cafile=str(made))
        with (
            socket.create_connection(("127.0.0.1", https_port), 5) as link,
            pytest.raises((ssl.SSLError, OSError)),
        ):
            other.wrap_socket(link, server_hostname="elsewhere.example")
    finally:
        nginx.terminate()
        nginx.wait(20)


def by_name(context: ssl.SSLContext, port: int) -> http.client.HTTPSConnection:
    """A connection to this machine by the name in the certificate, as a phone comes."""
    link = http.client.HTTPSConnection("garden.example", port, context=context, timeout=20)
    link._create_connection = lambda *_, **__: socket.create_connection(("127.0.0.1", port), 20)  # type: ignore
    return link


def sign_in_form(context: ssl.SSLContext, port: int, site: str) -> tuple[int, str]:
    """Send the sign-in form as a browser does, with its cookie, its origin and a wrong password."""
    link = by_name(context, port)
    link.request("GET", "/sign-in", headers={"Host": site})
    page = link.getresponse()
    cookie = page.headers["Set-Cookie"].split(";")[0]
    token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', page.read().decode())
    assert token is not None
    said = f"csrfmiddlewaretoken={token[1]}&username=nobody&password=nothing+at+all"
    form = "application/x-www-form-urlencoded"
    head = {"Host": site, "Cookie": cookie, "Origin": f"https://{site}", "Content-Type": form}
    link.request("POST", "/sign-in", said, head)
    answer = link.getresponse()
    answer.read()
    link.close()
    return answer.status, cookie


def raw(port: int, head: str, body: bytes = b"", most: int = 200) -> tuple[bytes, int]:
    """Send a request by hand; gives what was answered,
    and how many bytes of the body went out before.
    """
    sent = 0
    with socket.create_connection(("127.0.0.1", port), 20) as link:
        link.sendall(f"{head}\r\n\r\n".encode())
        link.settimeout(0.05)
        for _ in range(most):
            try:
                return link.recv(65536), sent
            except TimeoutError:
                pass
            if body:
                link.sendall(body)
                sent += len(body)
        link.settimeout(20)
        return link.recv(65536), sent


@pytest.fixture
def silent_path() -> Iterator[str]:
    """The path of a serial line whose other end never says a word."""
    master, end = os.openpty()
    yield os.ttyname(end)
    os.close(master)
    os.close(end)


def test_a_large_body_and_a_silent_scale_hold_up_nobody_and_it_stops_when_told_to(
    ready, silent_path
):
    """One start for all of it, as a start takes long."""
    ready.serve(KILTER_SCALE=silent_path, KILTER_BACKUPS=str(ready.folder / "nights"))
    head = "POST /sign-in HTTP/1.1\r\nHost: garden.example\r\n"
    said, sent = raw(ready.port, f"{head}Content-Length: {150 * 2**20}")
    assert said.startswith(b"HTTP/1.1 413")
    assert sent == 0
    chunk = b"4000\r\n" + b"x" * 0x4000 + b"\r\n"
    said, sent = raw(ready.port, f"{head}Transfer-Encoding: chunked", chunk)
    assert said.startswith(b"HTTP/1.1 413")
    assert sent < 2**20
    assert [ask(ready.port, path).status for path in ("/healthz", "/sign-in")] == [200, 200]
    assert ready.process is not None
    ready.process.terminate()
    assert ready.process.wait(20) == 0
    log = ready.said.read_text()
    assert log.rstrip().endswith("Kilter has stopped.")
    assert "Fatal" not in log
    assert "Traceback" not in log
    ready.process = None


def test_two_hundred_connections_that_say_nothing_stop_nobody(ready):
    ready.serve()
    silent = [socket.create_connection(("127.0.0.1", ready.port), 5) for _ in range(200)]
    try:
        for one in silent[::2]:
            one.sendall(
                b"POST /sign-in HTTP/1.1\r\nHost: garden.example\r\nContent-Length: 900\r\n"
            )
        assert [ask(ready.port).status for _ in range(5)] == [200] * 5
    finally:
        for one in silent:
            one.close()
