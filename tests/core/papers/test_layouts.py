"""Tests layouts of papers: values are put into their places, and nothing that attacks passes."""

import pytest

from relvan.core.papers.layouts import DRAWN, PaperKind, PaperSize, check_layout, drawn, lay_out
from relvan.core.papers.starts import STARTS, TOPICS

VALUES = {
    "firm": {"name": "Quillmoss & Co"},
    "order": {"number": "O-1001", "reference": ""},
    "customer": {"name": "<script>alert(1)</script>Ada"},
    "lines": [{"sku": "PT-14", "quantity": "2"}, {"sku": "<b>", "quantity": "1"}],
    "barcode": {"order": drawn("code128", "O-1001"), "order_qr": drawn("qr", "A&B<")},
}


@pytest.mark.parametrize(
    ("body", "html"),
    [
        ("<h1>{{ firm.name }}</h1>", "<h1>Quillmoss &amp; Co</h1>"),
        (
            "{% for line in lines %}<p>{{ line.quantity }} x {{ line.sku }}</p>{% endfor %}",
            "<p>2 x PT-14</p><p>1 x &lt;b&gt;</p>",
        ),
        ("{% if order.reference %}Ref{% else %}none{% endif %}", "none"),
        ('<p class="big evil">x</p>', '<p class="big">x</p>'),
        (
            '<table><tbody><tr><td colspan="2" onclick="x()">y</td></tr></tbody></table>',
            '<table><tbody><tr><td colspan="2">y</td></tr></tbody></table>',
        ),
    ],
)
def test_values_are_put_into_their_places(body, html):
    assert lay_out(body, VALUES).html == html


def test_what_has_no_value_is_named_and_printed_empty():
    found = lay_out("<p>{{ order.reference }}{{ order.colour }}</p>", VALUES)
    assert found.html == "<p></p>"
    assert found.missing == ("order.reference", "order.colour")


def test_what_a_customer_is_called_is_never_html():
    found = lay_out("<p>{{ customer.name }}</p>", VALUES).html
    assert found == "<p>&lt;script&gt;alert(1)&lt;/script&gt;Ada</p>"


@pytest.mark.parametrize(
    "body",
    [
        "<script>fetch('http://x')</script>",
        '<img src="http://10.0.0.1/a.png">',
        '<img src="file:///etc/passwd">',
        '<link rel="stylesheet" href="http://x">',
        "<style>@import url(http://x); p { background: url(file:///etc/passwd) }</style>",
        '<iframe src="http://x"></iframe>',
        '<object data="file:///etc/passwd"></object>',
        '<p style="background: url(http://x)">y</p>',
        '<a href="javascript:alert(1)">y</a>',
        '<svg><use href="file:///etc/passwd"/></svg>',
        "<p onmouseover=alert(1)>y</p>",
        '<meta http-equiv="refresh" content="0;url=http://x">',
    ],
)
def test_nothing_is_fetched_run_or_styled_by_a_layout(body):
    found = lay_out(body, VALUES).html
    for word in ("http", "file:", "url(", "javascript", "alert", "<script", "style", "src", "href"):
        assert word not in found


@pytest.mark.parametrize(
    "body",
    [
        "{{ order.__class__ }}",
        "{{ ''.__class__.__mro__ }}",
        "{{ cycler.__init__.__globals__ }}",
        "{% import 'os' as os %}",
        "{{ lines.append(1) }}",
        "{% for a in lines %}{% for b in lines %}x{% endfor %}{% endfor %}",
        "{% include 'paper.html' %}",
        "{{ 9 ** 9 ** 9 }}",
        "{{ order['_secret'] }}",
        "{{ firm.name",
        "x" * 20_001,
        "  ",
    ],
)
def test_a_layout_that_reaches_out_or_cannot_be_read_is_refused(body):
    assert check_layout(body)


def test_a_code_is_drawn_only_where_we_say_so():
    found = lay_out("<p>{{ barcode.order }}</p>", VALUES).html
    assert DRAWN.search(found).groups() == ("code128", "O-1001")
    forged = lay_out(
        "\ue000qr:x\ue001{{ order.number }}", {"order": {"number": "\ue000qr:y\ue001"}}
    )
    assert DRAWN.search(forged.html) is None
    assert drawn("qr", "a\ue001b") == "\ue000qr:ab\ue001"


@pytest.mark.parametrize("kind", list(PaperKind))
def test_the_usual_papers_can_be_read_and_use_only_known_places(kind):
    size, body = STARTS[kind]
    assert check_layout(body) == []
    assert size in list(PaperSize)
    values = {
        topic: [{name: f"{topic}.{name}" for name in names}]
        if topic in ("lines", "picks")
        else {name: f"{topic}.{name}" for name in names}
        for topic, names in TOPICS[kind].items()
    }
    assert lay_out(body, values).missing == ()
