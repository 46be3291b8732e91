"""Telling open screens that a job has changed: server-sent events, one queue a screen."""

import asyncio
from collections.abc import AsyncIterator


class Changes:
    """Listeners by job. ``announce`` may be called from any thread."""

    def __init__(self) -> None:
        self.loop: asyncio.AbstractEventLoop | None = None
        self.closed = False
        self._queues: dict[str, set[asyncio.Queue[int | None]]] = {}

    def announce(self, job: str, count: int) -> None:
        """A job's log now has ``count`` events."""
        if self.loop is not None and not self.loop.is_closed():
            self.loop.call_soon_threadsafe(self._put, job, count)

    def _put(self, job: str, count: int) -> None:
        for queue in self._queues.get(job, ()):
            queue.put_nowait(count)

    def close(self) -> None:
        """Let every screen go."""
        self.closed = True
        for queues in self._queues.values():
            for queue in queues:
                queue.put_nowait(None)

    async def follow(self, job: str) -> AsyncIterator[dict[str, str]]:
        """Events for one screen until it leaves."""
        queue: asyncio.Queue[int | None] = asyncio.Queue()
        self._queues.setdefault(job, set()).add(queue)
        try:
            while (count := await queue.get()) is not None:
                yield {"event": "changed", "data": str(count)}
        finally:
            self._queues[job].discard(queue)
