"""Has the pictures of the demo drawn in a process of its own, while the rest of the demo is prepared.
Drawing takes a fifth of the computing time of all, and a second process can use a second core.
"""

import pickle
import subprocess
import sys
from collections import deque
from collections.abc import Callable, Iterable
from concurrent.futures import Future
from threading import Thread

from relvan.demo.drawing import Drawn, PictureTask
from relvan.services.catalogue.pictures import add_kept_pictures
from relvan.services.workplace import Actor, Workplace


class Studio:
    """Draws pictures of products and keeps their files, in the order in which they were asked
    for; they belong to their products once they are delivered.
    """

    def __init__(self, workplace: Workplace) -> None:
        self._workplace = workplace
        folder, most = workplace.files.folder.absolute(), workplace.settings.largest_picture_mb
        command = [sys.executable, "-m", "relvan.demo.drawing", str(folder), str(most)]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        self._waiting: deque[Future[Drawn]] = deque()
        self._ordered: list[tuple[str, Future[Drawn]]] = []
        self._elsewhere: dict[str, Future[Drawn]] = {}
        self._reader = Thread(target=self._read, daemon=True)
        self._reader.start()

    def order(self, sku: str, shape: str, colour: str, caption: str) -> None:
        """Asks for a picture of a product."""
        self._ordered.append((sku, self._ask(PictureTask(caption, shape, colour))))

    def order_elsewhere(self, names: Iterable[str]) -> None:
        """Asks early for pictures that somebody else took of things."""
        for name in names:
            self._elsewhere[name] = self._ask(PictureTask(name))

    def elsewhere(self, name: str) -> bytes:
        """Returns the picture that somebody else took of a thing, as a JPEG."""
        if name not in self._elsewhere:
            self.order_elsewhere([name])
        return _finished(self._elsewhere[name]).jpeg

    def deliver(self, actor: Actor, wanted: Callable[[str], bool]) -> None:
        """Waits for the pictures of products whose SKU is wanted and adds them to those products;
        raises what went wrong with one.
        """
        made = [(sku, _finished(picture)) for sku, picture in self._ordered if wanted(sku)]
        kept = [(sku, drawn.kept) for sku, drawn in made if drawn.kept is not None]
        add_kept_pictures(self._workplace, actor, kept)
        self._ordered = [one for one in self._ordered if not wanted(one[0])]

    def close(self) -> None:
        """Ends the drawing process, whatever it still had to draw."""
        self._process.kill()
        self._process.wait()
        self._reader.join()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                pipe.close()

    def _ask(self, task: PictureTask) -> Future[Drawn]:
        asked: Future[Drawn] = Future()
        self._waiting.append(asked)
        assert self._process.stdin is not None
        pickle.dump(task, self._process.stdin)
        self._process.stdin.flush()
        return asked

    def _read(self) -> None:
        """Hands each result to whoever asked for it, in the order of the tasks, until the process
        has ended."""
        assert self._process.stdout is not None
        while True:
            try:
                drawn = pickle.load(self._process.stdout)
            except (EOFError, pickle.UnpicklingError):
                break
            self._waiting.popleft().set_result(drawn)
        for asked in self._waiting:
            asked.set_exception(RuntimeError("The process that draws pictures has ended."))


def _finished(asked: Future[Drawn]) -> Drawn:
    drawn = asked.result()
    if drawn.failure is not None:
        raise drawn.failure
    return drawn
