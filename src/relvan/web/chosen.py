"""Says which products an action is about: those ticked, or all that the sentence of the page
matches.
"""

from urllib.parse import parse_qsl

from relvan.store.coverage import coverage_skus
from relvan.store.product_list import ProductFilter, all_skus
from relvan.web.coverage_sentence import coverage_filter, coverage_sentence
from relvan.web.desk import Desk, PostedForm
from relvan.web.product_sentence import product_filter, product_sentence
from relvan.web.stock_sentence import stock_filter, stock_sentence


def filter_of(desk: Desk, query: str) -> ProductFilter:
    """Returns the filter for a sentence of the catalogue in a query string."""
    with desk.workplace.database.reading() as session:
        return product_filter(product_sentence(session, dict(parse_qsl(query)), strict=True))


def chosen_products(desk: Desk, form: PostedForm) -> list[str]:
    """Returns the SKUs ticked, each once; or all that the sentence of the page matches when `all`
    is ticked. `page` says whose sentence it is: the catalogue's, that of coverage, or that of
    stock.
    """
    if not form.get("all"):
        return list(dict.fromkeys(form.all("pick")))
    query = dict(parse_qsl(form.get("query", "")))
    with desk.workplace.database.reading() as session:
        if form.get("page") == "coverage":
            return coverage_skus(
                session, coverage_filter(coverage_sentence(session, query, strict=True))
            )
        if form.get("page") == "stock":
            return all_skus(session, stock_filter(stock_sentence(session, query, strict=True)))
        return all_skus(session, product_filter(product_sentence(session, query, strict=True)))
