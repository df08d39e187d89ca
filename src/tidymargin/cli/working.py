"""A worker: takes jobs off a Redis, as many machines as there are."""

import logging
import os
import signal
import threading
from types import FrameType

import click

from tidymargin import ENGINE_VERSION
from tidymargin.cli.telling import told
from tidymargin.core.base.errors import UnusableArgumentError

log = logging.getLogger(__name__)


@click.command()
@click.option("--cores", type=click.IntRange(1, 64), default=1, help="Cores that one job may use; best 1, with as many workers as there are cores.")  # fmt: skip
@told
def work(cores: int) -> None:
    """Work on the jobs in the Redis that TIDYMARGIN_QUEUE names, one after the other, until stopped."""
    from redis.exceptions import RedisError

    from tidymargin.core.base.parallel import hold_to_cores
    from tidymargin.services.trays.queueing import QUEUE_VARIABLE, Jobs, open_queue, queue_url

    url = queue_url()
    if url is None:
        raise UnusableArgumentError(
            f"Expected {QUEUE_VARIABLE} as redis://HOST:PORT, got none.",
            hint="Without one a server does its jobs itself.",
            field="queue",
        )
    hold_to_cores(cores)
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    jobs = Jobs(open_queue(url))
    ends = threading.Event()

    def end(_signal: int, _frame: FrameType | None) -> None:
        ends.set()  # what is under way is finished first

    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, end)
    click.echo(f"Worker {os.getpid()} of engine {ENGINE_VERSION} waits for jobs (Ctrl+C ends it)")
    while not ends.is_set():
        try:
            jobs.take_one()  # waits a second at most
        except (OSError, RedisError):
            log.warning("the queue does not answer; it is asked again")
            ends.wait(5)
        except Exception:  # one job of many: the worker goes on
            log.warning("a job was dropped by our own fault", exc_info=True)
            ends.wait(1)
