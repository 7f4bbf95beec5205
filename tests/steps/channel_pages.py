"""Holds steps of tests about channel pages."""

from lxml import html


def words(answer):
    return " ".join(" ".join(html.fromstring(answer.text).itertext()).split())
