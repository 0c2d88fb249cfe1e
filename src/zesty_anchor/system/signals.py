"""The signals that end the program: a hangup, a termination and Ctrl-C (signal(7))."""

from __future__ import annotations

import os
import signal
import sys
import threading
import time
from contextlib import suppress

ENDING = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
_LOOK_SECONDS = 0.05


def end_on_signals() -> list[int]:
    """Have a hangup and a termination end the program as Ctrl-C does: children ended, what was under way
    taken back, the journal closed. Returns the list that gets the signal's number. While that goes on further
    ones are let go by.

    To be called in the main thread, once.
    """
    came: list[int] = []

    def end(number: int, frame: object) -> None:
        if not came:
            came.append(number)
            raise KeyboardInterrupt

    for number in ENDING:
        # What whoever started us let go by (nohup(1)) stays so.
        if signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, end)
    _see_that_it_is_handled(came)
    return came


def _see_that_it_is_handled(came: list[int]) -> None:
    """Python handles a signal in its main thread, between two of its own instructions. Where another thread
    got the signal, or the main one was just about to wait, nothing wakes it (Python's manual, signal,
    "Execution of Python signal handlers"). So a thread hears of each signal by a pipe
    (``signal.set_wakeup_fd``), and sends it again to the main one until it is handled.

    Where the main thread was just clearing an object away, what the handler raises goes no further (the
    manual, object.__del__); then the signal is heard of anew.
    """
    receiver, sender = os.pipe()
    os.set_blocking(sender, False)
    signal.set_wakeup_fd(sender, warn_on_full_buffer=False)
    # A child has the pipe too, and what is sent to it is not meant for us.
    os.register_at_fork(after_in_child=lambda: signal.set_wakeup_fd(-1))

    def unraised(what: sys.UnraisableHookArgs) -> None:
        if issubclass(what.exc_type, KeyboardInterrupt) and came:
            os.write(sender, bytes([came.pop()]))
        else:
            sys.__unraisablehook__(what)

    sys.unraisablehook = unraised
    with suppress(RuntimeError):  # no more threads for this user: a signal in such a moment may be lost
        threading.Thread(
            target=_send_again, args=(receiver, threading.get_ident(), came), daemon=True
        ).start()


def _send_again(receiver: int, main: int, came: list[int]) -> None:
    while heard := os.read(receiver, 1):
        while not came:
            time.sleep(_LOOK_SECONDS)
            if not came:
                signal.pthread_kill(main, heard[0])
