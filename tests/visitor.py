"""Holds small verbs for tests of pages: signing in, posting a form, what stands beside a field."""

from lxml import html

from tests.house import work


def shown(element):
    """Returns what a browser shows of an element: spaces and line ends run together."""
    return " ".join(element.text_content().split())


def sign_in(client, login="owner"):
    answer = client.post(
        "/sign-in", data={"login": login, "password": "a good password"}, follow_redirects=False
    )
    assert answer.status_code == 303
    page = html.fromstring(client.get("/catalogue/new").text)
    client.csrf = page.cssselect("input[name=csrf]")[0].get("value")
    return client


def post(client, path, /, **fields):
    return client.post(path, data={"csrf": client.csrf, **fields})


def wrong_beside(answer, field):
    page = html.fromstring(answer.text)
    found = page.cssselect(f"#wrong-{field}")
    return found[0].text_content().strip() if found else None


def apply_job(client, workplace, answer, event="apply"):
    """Applies the bulk job whose page an answer is, or undoes it, as the worker would; returns its
    page afterwards."""
    path = str(answer.url).partition("?")[0].removeprefix("http://testserver")
    post(client, f"{path}/{event}")
    work(workplace)
    return client.get(path)


def page(answer):
    return html.fromstring(answer.text)


def words(answer):
    return shown(page(answer))


def undo(client, answer):
    form = html.fromstring(answer.text).cssselect(".toast-note form")[0]
    fields: dict[str, list[str]] = {}
    for field in form.cssselect("input"):
        fields.setdefault(field.get("name"), []).append(field.get("value"))
    return client.post(form.get("action"), data=fields)
