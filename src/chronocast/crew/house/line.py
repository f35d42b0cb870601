"""The line to the hub: what is asked over it, and what is wrong with it in sentences."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import socket
import ssl
import time
from collections.abc import Coroutine
from pathlib import Path
from typing import Any

import dask
from distributed.comm.core import CommClosedError, FatalCommClosedError
from distributed.core import ConnectionPool
from distributed.security import Security

from chronocast.crew.house.certificates import Files, own_member
from chronocast.model.errors import ChronocastError
from chronocast.model.house import House

ASK_SECONDS = 10.0
QUIET = {
    "distributed.admin.event-loop-monitor": "20ms",
    "distributed.admin.system-monitor.gil.enabled": False,
    "distributed.admin.system-monitor.interval": "5s",
    "distributed.comm.compression": False,
    "distributed.comm.timeouts.connect": "8s",
    "distributed.comm.timeouts.tcp": "30s",
    "distributed.scheduler.active-memory-manager.start": False,
    "distributed.scheduler.allowed-failures": 0,
    "distributed.scheduler.http.routes": [],
    "distributed.scheduler.work-stealing": False,
    "distributed.scheduler.worker-ttl": "60s",
    "distributed.worker.http.routes": [],
    "distributed.worker.profile.enabled": False,
}
"""Nothing is profiled, stolen or served as a page: the machines are for encoding."""


FLOODED = (
    "distributed.comm.tcp",
    "distributed.core",
    "distributed.scheduler",
    "tornado.general",
    "chronocast.hub",
    "chronocast.station",
)
"""Whoever hammers at the door fills no log."""


class HubAway(ChronocastError):
    """The hub can't be reached, or doesn't let this machine in."""


class HubRefused(ChronocastError):
    """The hub answered, and refuses."""


class SparingLog(logging.Filter):
    """Lets a warning of a place in the code through once in ten seconds, and says how many it swallowed."""

    SECONDS = 10.0

    def __init__(self) -> None:
        super().__init__()
        self._last: dict[tuple[str, int], float] = {}
        self._swallowed: dict[tuple[str, int], int] = {}

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether a record is written."""
        if record.levelno < logging.WARNING:
            return True
        key, now = (record.pathname, record.lineno), time.monotonic()
        if now - self._last.get(key, -1e9) < self.SECONDS:
            self._swallowed[key] = self._swallowed.get(key, 0) + 1
            return False
        self._last[key] = now
        if swallowed := self._swallowed.pop(key, 0):
            record.msg = f"{record.msg} (and {swallowed} more like it)"
        return True


def set_quiet() -> None:
    """Set the libraries up for a house: nothing open, nothing profiled, no flood in the log."""
    dask.config.set(QUIET)
    logging.getLogger("distributed").setLevel(logging.WARNING)
    for name in FLOODED:
        logger = logging.getLogger(name)
        if not any(isinstance(item, SparingLog) for item in logger.filters):
            logger.addFilter(SparingLog())


def security_of(folder: Path) -> Security:
    """How this machine shows who it is, and knows the others: one certificate for all it does.

    Parameters
    ----------
    folder
        Where its key, its certificate and the authority are.

    Raises
    ------
    CertificateError
        It belongs to no house, or its certificate has expired.
    """
    own_member(folder)
    files = Files.within(folder)
    certificate, key = str(files.certificate), str(files.key)
    return Security(  # type: ignore[no-untyped-call]
        require_encryption=True,
        tls_ca_file=str(files.authority),
        tls_min_version=ssl.TLSVersion.TLSv1_2,
        tls_client_cert=certificate,
        tls_client_key=key,
        tls_scheduler_cert=certificate,
        tls_scheduler_key=key,
        tls_worker_cert=certificate,
        tls_worker_key=key,
    )


async def bounded(call: Coroutine[Any, Any, Any], seconds: float) -> Any:
    """What a call gives, within so many seconds whatever it does.

    The libraries cancel calls of their own when a line is cut: that is an error of the call, and must not cancel
    whoever waits for it.

    Parameters
    ----------
    call
        The call.
    seconds
        How long it may take.

    Raises
    ------
    TimeoutError
        It took longer.
    ConnectionError
        It was given up.
    """
    task = asyncio.create_task(call)
    try:
        done, _ = await asyncio.wait({task}, timeout=seconds)
    except asyncio.CancelledError:
        _leave(task)
        raise
    if not done:
        _leave(task)
        raise TimeoutError
    if task.cancelled():
        raise ConnectionError("the line was closed")
    return task.result()


_left: set[asyncio.Task[Any]] = set()


def _leave(task: asyncio.Task[Any]) -> None:
    """Cancel a task that nobody waits for any more; what it still says is of no interest."""
    _left.add(task)
    task.add_done_callback(_left.discard)
    task.add_done_callback(lambda ended: ended.cancelled() or ended.exception())
    task.cancel()


async def _close_later(pool: ConnectionPool) -> None:
    """Close a pool when what others still say over it is over, too."""
    await asyncio.sleep(2 * ASK_SECONDS)
    with contextlib.suppress(Exception):
        await pool.close()


class Line:
    """``Line(hub, folder)``: to a hub, as the machine whose certificate is in a folder; ``ask`` it, then ``close``.

    Raises
    ------
    CertificateError
        This machine can't show who it is.
    """

    def __init__(self, hub: str, folder: Path) -> None:
        self.hub = hub
        set_quiet()
        self._shown: dict[str, Any] = security_of(folder).get_connection_args("client")  # type: ignore[no-untyped-call]
        self._pool: ConnectionPool | None = None

    async def ask(self, what: str, seconds: float = ASK_SECONDS, **told: Any) -> dict[str, Any]:
        """What the hub answers.

        Parameters
        ----------
        what
            The hub's handler.
        seconds
            How long it may take.
        told
            What it is told.

        Raises
        ------
        HubAway
            It can't be reached.
        HubRefused
            It refuses; the sentence says why.
        """
        pool = self._pool
        if pool is None:
            pool = self._pool = ConnectionPool(limit=64, connection_args=self._shown)
            await pool.start()
        try:
            answer = await bounded(getattr(pool(self.hub), what)(**told), seconds)
        except (OSError, TimeoutError, CommClosedError, FatalCommClosedError, ssl.SSLError) as error:
            if isinstance(error, TimeoutError) and self._pool is pool:
                self._pool = None  # a new one knows nothing of what this one waits for
                closing = asyncio.create_task(_close_later(pool))
                _left.add(closing)
                closing.add_done_callback(_left.discard)
            nobody = f"Nothing answers at {self.hub}: the hub isn't running, or the address is another."
            raise HubAway(nobody if await self._nobody_is_there() else self._why(error)) from error
        except Exception as error:
            raise HubRefused(f"The hub at {self.hub} could not answer: {error}.") from error
        if not isinstance(answer, dict):
            raise HubRefused(f"The hub at {self.hub} answered what can't be understood.")
        if refused := answer.get("refused"):
            raise HubRefused(str(refused))
        return answer

    async def _nobody_is_there(self) -> bool:
        """Whether the machine is there and nothing listens: the libraries only say that it took too long."""
        host, _, port = self.hub.removeprefix("tls://").rpartition(":")
        try:
            async with asyncio.timeout(2.0):
                _, writer = await asyncio.open_connection(host.strip("[]"), int(port))
        except ConnectionRefusedError:
            return True
        except (OSError, TimeoutError, ValueError):
            return False
        writer.close()
        return False

    def _why(self, error: BaseException) -> str:
        parts: list[str] = []
        part: BaseException | None = error
        while part is not None and len(parts) < 6:  # what is wrong is often the cause of the cause
            parts.append(str(part))
            part = part.__cause__ or part.__context__
        said = " ".join(parts)
        if "CERTIFICATE_VERIFY_FAILED" in said or "certificate verify failed" in said:
            return f"What answers at {self.hub} isn't the hub of this machine's house."
        if isinstance(error, TimeoutError) or "imed out" in said:
            return f"The hub at {self.hub} doesn't answer in time."
        if "EOF" in said or "closed" in said.lower() or "reset" in said.lower() or "alert" in said.lower():
            return f"The hub at {self.hub} closed the line: it doesn't know this machine's certificate, or is ending."
        return f"The hub at {self.hub} can't be reached ({error})."

    async def close(self) -> None:
        """Hang up."""
        if self._pool is not None:
            with contextlib.suppress(Exception):
                await bounded(self._pool.close(), ASK_SECONDS)


def heard_now(told: object, hub: str) -> House:
    """What a hub told of its house, heard at this moment by this machine's clock: the hub's may differ.

    Parameters
    ----------
    told
        A ``House``, as plain values.
    hub
        The hub's address.

    Raises
    ------
    ValueError
        It makes no sense.
    """
    return House.model_validate(told).model_copy(update={"hub": hub, "known_at": time.time()})


def facing_address() -> str:
    """The address of this machine that faces the network; the loopback's where there is none."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as way, contextlib.suppress(OSError):
        way.connect(("192.0.2.1", 9))  # an address that nobody has: nothing is sent, a way is chosen
        return str(way.getsockname()[0])
    return "127.0.0.1"
