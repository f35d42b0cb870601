"""Joining a house by a code that works once: the hub's side, and that of whoever joins.

The code carries the fingerprint of the house's authority, so that whoever
joins knows the hub before it says anything; and a secret, by which the hub
knows that it was asked.  Nothing but this is done at this port.

What is said, a line of JSON each: the hub sends its authority; the other
side, which has compared it with the code, connects again trusting only that
authority, sends the secret and a signing request, and gets a certificate.
"""

from __future__ import annotations

import asyncio
import base64
import contextlib
import hmac
import json
import logging
import os
import secrets
import ssl
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

from chronocast import __version__
from chronocast.crew.house.certificates import (
    CertificateError,
    Files,
    fingerprint,
    make_authority,
    sign,
    wish_for,
    write_privately,
)
from chronocast.model.errors import ChronocastError

log = logging.getLogger("chronocast.hub")

SECRET_BYTES, PRINT_BYTES = 5, 10
"""40 bits of a secret that can be tried a few times; 80 bits of a fingerprint."""
CODE_SECONDS = 900.0
TRIES = 5
"""A code is spent when so many wrong secrets were sent."""
LINE_BYTES, LINE_SECONDS = 65536, 10.0
MOST_VISITORS = 16
LOG_SECONDS = 10.0
"""Refusals are logged so often at most, with how many there were."""


class JoinRefused(ChronocastError):
    """A house didn't let somebody in."""


class WrongHub(ChronocastError):
    """Whoever answers at a hub's address isn't the hub that the code is of."""


@dataclass
class Code:
    """A code to join with, as long as it is good."""

    secret: bytes
    kind: str
    until: float
    tries: int = 0


def write_code(secret: bytes, authority: bytes) -> str:
    """The code that people read out: groups of four letters and digits.

    Parameters
    ----------
    secret
        The secret in it.
    authority
        The authority's certificate, PEM.
    """
    text = base64.b32encode(secret + fingerprint(authority)[:PRINT_BYTES]).decode()
    return "-".join(text[at : at + 4] for at in range(0, len(text), 4))


def read_code(code: str) -> tuple[bytes, bytes]:
    """The secret and the beginning of the fingerprint that a code carries.

    Parameters
    ----------
    code
        As it was typed: dashes, spaces and small letters don't matter.

    Raises
    ------
    JoinRefused
        It can't be a code.
    """
    text = "".join(letter for letter in code.upper() if letter.isalnum())
    text = text.replace("0", "O").replace("1", "I").replace("8", "B")
    try:
        raw = base64.b32decode(text)
    except ValueError:
        raw = b""
    if len(raw) != SECRET_BYTES + PRINT_BYTES:
        raise JoinRefused("That is no code of a hub.", "It has 24 letters and digits; type it again.")
    return raw[:SECRET_BYTES], raw[SECRET_BYTES:]


class CodeBook:
    """``CodeBook(folder)``: codes that were given out and not used yet, kept in the hub's folder.

    Another process of the hub's user can give one out (``hub code``).
    """

    def __init__(self, folder: Path) -> None:
        self.folder, self.path = folder, folder / "codes.json"

    def give_out(self, kind: str, seconds: float = CODE_SECONDS) -> str:
        """A new code.

        Parameters
        ----------
        kind
            What whoever joins with it is: *station* or *desktop*.
        seconds
            How long it is good.
        """
        secret = secrets.token_bytes(SECRET_BYTES)
        codes = [*self._read(), Code(secret, kind, time.time() + seconds)]
        self._write(codes)
        return write_code(secret, (self.folder / "authority.pem").read_bytes())

    def use(self, secret: bytes) -> str:
        """Spend a code: what whoever sent it is; "" if there is none such.

        A wrong one counts against all that are open.

        Parameters
        ----------
        secret
            What was sent.
        """
        codes = self._read()
        found = next((code for code in codes if hmac.compare_digest(code.secret, secret)), None)
        if found is not None:
            codes.remove(found)
        else:
            for code in codes:
                code.tries += 1
        self._write([code for code in codes if code.tries < TRIES])
        return found.kind if found else ""

    def _read(self) -> list[Code]:
        with contextlib.suppress(OSError, ValueError, KeyError, TypeError):
            told = json.loads(self.path.read_text())
            codes = [Code(bytes.fromhex(c["secret"]), c["kind"], c["until"], c["tries"]) for c in told]
            return [code for code in codes if code.until > time.time()]
        return []

    def _write(self, codes: list[Code]) -> None:
        told = [{"secret": c.secret.hex(), "kind": c.kind, "until": c.until, "tries": c.tries} for c in codes]
        write_privately(self.path, json.dumps(told).encode())


class JoinPort:
    """``JoinPort(folder)``: the hub's door for those who have a code; it tells them ``hub_port``, where the hub is."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.codes = folder, CodeBook(folder)
        self.hub_port = 0
        self._visitors = 0
        self._server: asyncio.Server | None = None
        self._visits: set[asyncio.Task[None]] = set()
        self._refused, self._told_at = 0, 0.0

    async def open(self, host: str, port: int) -> int:
        """Listen; the port.

        Parameters
        ----------
        host
            The address; never all of them.
        port
            0 for any.
        """
        files = Files.within(self.folder)
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.minimum_version = ssl.TLSVersion.TLSv1_3
        context.load_cert_chain(files.certificate, files.key)
        self._server = await asyncio.start_server(
            self._welcome, host, port, ssl=context, limit=LINE_BYTES, ssl_handshake_timeout=LINE_SECONDS
        )
        return int(self._server.sockets[0].getsockname()[1])

    async def close(self) -> None:
        """Listen no more."""
        if self._server is not None:
            self._server.close()
        for visit in list(self._visits):
            visit.cancel()
        await asyncio.gather(*self._visits, return_exceptions=True)

    def _welcome(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        visit = asyncio.create_task(self._visit(reader, writer))
        self._visits.add(visit)
        visit.add_done_callback(self._visits.discard)

    async def _visit(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        who = str((writer.get_extra_info("peername") or ("?",))[0])
        try:
            if self._visitors >= MOST_VISITORS:
                self._refuse(who, "too many at once")
                return
            self._visitors += 1
            try:
                await asyncio.wait_for(self._serve(reader, writer, who), 2 * LINE_SECONDS)
            finally:
                self._visitors -= 1
        except (OSError, ValueError, TimeoutError, asyncio.IncompleteReadError) as error:
            self._refuse(who, repr(error))
        finally:
            with contextlib.suppress(OSError, ssl.SSLError):
                writer.close()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, who: str) -> None:
        authority = (self.folder / "authority.pem").read_text()
        await _send(writer, {"authority": authority, "version": __version__})
        line = await asyncio.wait_for(reader.readline(), LINE_SECONDS)
        if not line:
            return  # it looked at the authority only
        try:
            asked = json.loads(line)
            secret, name, wish = bytes.fromhex(asked["secret"]), str(asked["name"]), str(asked["wish"])
            version = str(asked["version"])
        except (ValueError, KeyError, TypeError):
            self._refuse(who, "no request")
            await _send(writer, {"refused": "That was no request to join."})
            return
        if version != __version__:
            self._refuse(who, f"version {version[:20]}")
            await _send(
                writer,
                {"refused": f"This house works with version {__version__}, and you have {version[:20]}."},
            )
            return
        kind = self.codes.use(secret)
        if not kind:
            self._refuse(who, "a code that isn't good")
            await asyncio.sleep(1)
            await _send(writer, {"refused": "That code isn't good, or not any more. Ask for a new one."})
            return
        try:
            signed = await asyncio.to_thread(sign, self.folder, wish.encode(), name, kind)
        except CertificateError as error:
            self._refuse(who, str(error))
            await _send(writer, {"refused": str(error)})
            return
        log.info("%s joined as %s %r", who, kind, name)
        await _send(writer, {"certificate": signed.decode(), "kind": kind, "port": self.hub_port})

    def _refuse(self, who: str, why: str) -> None:
        """Log a refusal, without flooding."""
        self._refused += 1
        if time.monotonic() - self._told_at > LOG_SECONDS:
            self._told_at = time.monotonic()
            log.warning("refused %s: %s (%d refused so far)", who, why, self._refused)


async def _send(writer: asyncio.StreamWriter, what: dict[str, Any]) -> None:
    writer.write((json.dumps(what) + "\n").encode())
    await writer.drain()


class Joined(NamedTuple):
    """As what a machine joined a house, and the port of its hub."""

    kind: str
    hub_port: int


async def join_house(folder: Path, host: str, port: int, code: str, name: str) -> Joined:
    """Join a house: this machine has a key and a certificate afterwards.

    Parameters
    ----------
    folder
        Where the key, the certificate and the authority are to be.
    host, port
        The hub's door.
    code
        As it was read out.
    name
        What this machine is to be called.

    Raises
    ------
    JoinRefused
        The hub can't be reached, or refuses.
    WrongHub
        Somebody else answers there.
    """
    secret, begins = read_code(code)
    blind = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    blind.check_hostname, blind.verify_mode = False, ssl.CERT_NONE  # nothing is said before it is known
    told = await _ask(host, port, blind, None)
    authority = str(told.get("authority", "")).encode()
    try:
        right = hmac.compare_digest(fingerprint(authority)[:PRINT_BYTES], begins)
    except CertificateError as error:
        raise WrongHub(f"{error} {host}:{port} is no hub.") from error
    if not right:
        raise WrongHub(
            f"The hub at {host}:{port} isn't the one that this code is of.",
            "See that address and code are right; if they are, somebody else answers there.",
        )
    try:
        key, wish = wish_for(name, "station")
    except ValueError as error:
        raise JoinRefused(f"“{name}” can't be a name in a house: {error}.") from error
    sure = ssl.create_default_context(cadata=authority.decode())
    sure.check_hostname = False  # its authority is its name
    asked = {"secret": secret.hex(), "name": name, "wish": wish.decode(), "version": __version__}
    answer = await _ask(host, port, sure, asked)
    if "certificate" not in answer:
        raise JoinRefused(str(answer.get("refused", "The hub let nobody in and said nothing.")))
    files = Files.within(folder)
    for path, content in zip(files, (authority, str(answer["certificate"]).encode(), key), strict=True):
        await asyncio.to_thread(write_privately, path, content)
    return Joined(str(answer.get("kind", "")), int(answer.get("port") or 0))


async def _ask(host: str, port: int, context: ssl.SSLContext, asked: dict[str, Any] | None) -> dict[str, Any]:
    """What the hub sends first, or what it answers to a request."""
    try:
        async with asyncio.timeout(2 * LINE_SECONDS):
            reader, writer = await asyncio.open_connection(host, port, ssl=context, limit=LINE_BYTES)
            try:
                line = await reader.readline()
                if asked is not None:
                    await _send(writer, asked)
                    line = await reader.readline()
            finally:
                writer.close()
        told = json.loads(line)
    except ssl.SSLCertVerificationError as error:
        raise WrongHub(f"The hub at {host}:{port} can't show that it is the one it says.") from error
    except (OSError, ValueError, TimeoutError) as error:
        why = "nobody answers" if isinstance(error, OSError | TimeoutError) else "what answers is no hub"
        raise JoinRefused(f"The hub at {host}:{port} can't be reached: {why}.") from error
    if not isinstance(told, dict):
        raise JoinRefused(f"What answers at {host}:{port} is no hub.")
    return told


def make_house(folder: Path, name: str = "hub") -> bool:
    """Make a house's authority and the hub's own certificate, where there are none; whether they were made.

    Parameters
    ----------
    folder
        The hub's folder.
    name
        What the hub's machine is called.
    """
    made = False
    if not (folder / "authority.key").is_file():
        make_authority(folder)
        made = True
    files = Files.within(folder)
    if made or not files.there:
        key, wish = wish_for(name, "hub")
        write_privately(files.certificate, sign(folder, wish, name, "hub"))
        write_privately(files.key, key)
    os.chmod(folder, 0o700)
    return made
