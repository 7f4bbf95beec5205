"""A tool of the seller's own that hears of changes, for tests."""

import json

from starlette.applications import Starlette
from starlette.responses import Response
from starlette.routing import Route


class Tool:
    """A tool that listens: it keeps what it is told, and answers as it is bidden."""

    def __init__(self, _url=""):
        self.got, self.answers = [], []
        self.app = Starlette(routes=[Route("/hear", self.hear, methods=["POST"])])

    async def hear(self, request):
        self.got.append((dict(request.headers), (await request.body()).decode()))
        return Response(status_code=self.answers.pop(0) if self.answers else 204)

    def told(self):
        """Returns (type, data) of what it was told since it was last asked."""
        said = [json.loads(body) for _, body in self.got]
        self.got.clear()
        return [(one["type"], one["data"]) for one in said]
