"""Holds steps of tests about listing pages."""

from lxml import html


def text_of(answer):
    return " ".join(html.fromstring(answer.text).text_content().split())


def find(answer, selector):
    return html.fromstring(answer.text).cssselect(selector)
