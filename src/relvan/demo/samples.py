"""Makes the demo's files with which an import can be tried."""

from datetime import date, timedelta
from typing import Any

from relvan.documents.tables import write_xlsx
from relvan.services.workplace import Workplace
from relvan.store.facts import facts_by_id
from relvan.store.product_list import ProductFilter, product_page

HEADINGS = (
    "Item number",
    "Product name",
    "Weight (kg)",
    "Price: retail",
    "Supplier",
    "Units in a case",
)


def good_file(workplace: Workplace) -> bytes:
    """Returns a workbook with new weights and prices for the pots, and two new tools."""
    with workplace.database.reading() as session:
        rows = product_page(session, ProductFilter(words="Aubrey pot", kind="variant"), limit=24)
        facts = facts_by_id(session, [row.id for row in rows])
    lines: list[list[Any]] = []
    for row in rows:
        held = facts[row.id]
        price = round(held.get("price retail", 1000) * 1.05 / 10) * 10
        lines.append(
            [
                row.sku,
                row.title,
                (held.get("weight_g", 500) + 20) / 1000,
                price / 100,
                "Own workshop",
                6,
            ]
        )
    lines.append(["TL-KNEEL", "Kneeling mat, felted wool", 0.6, 29.9, "Brook Forge", 4])
    lines.append(["TL-GLOVE", "Potting gloves, goatskin", 0.14, 18.9, "Brook Forge", 10])
    return write_xlsx(HEADINGS, lines)


def messy_file() -> bytes:
    """Returns what a supplier sends: a title row, semicolons, Windows letters, odd numbers, doubled
    and broken rows.
    """
    lines = [
        "Fenland Seed Growers, list of spring;;;;;;;",
        ";;;;;;;",
        "Article number;Bezeichnung;EAN;Weight g;Price: retail;Colour of lid;Supplier;Remarks",
        'SE-BASIL;"Basil ""Tall Tessa"", seed tin";;58;4,60;green;Fenland Seed Growers;as last year',
        "se-basil;Basil again;;58;4,60;green;Fenland Seed Growers;twice",
        'SE-CRESS;"Cress,\nfine";;55;3,90;;Fenland Seed Growers;title over two lines',
        "SE-DOCK;Dock;4006381333932;55;4,20;;Fenland Seed Growers;check digit",
        "SE-KALE;Kale „Früher Grüner“;;1.055,0;5,20;;Fenland Seed Growers;",
        "SE-LEEK;Leek;;fifty-five;5,20;;Fenland Seed Growers;no number",
        ";No code;;55;5,20;;;",
        "SE-CALC;=1+1;;55;5,20;;=cmd|' /C calc'!A0;a formula as text",
        "SE-MINT;;;;4,5;;;only the price",
    ]
    return "\r\n".join(lines).encode("cp1252") + b"\r\n"


def fair_file(today: date) -> bytes:
    """Returns the orders of a craft fair a week ago as somebody has written them down: several goods
    of one buyer, a country by its name, a piece that is no product, and three rows that cannot be.
    """
    day = today - timedelta(days=7)
    written, spoken = f"{day:%d.%m.%Y}", f"{day.day} {day:%B %Y}"
    lena = (
        "lena.brookhollow@example.com;Lena Brookhollow;4 Fern Court;Oudewater;3421 AB;Netherlands"
    )
    jon = "jon.thistle@example.com;Jon Thistle;Amselweg 9;Freiburg;79098;Deutschland"
    mae = "mae.orrin@example.com;Mae Orrin;2 Quay Street;Galway;H91 E2K5;IE"
    lines = [
        "Order;Date;Mail;Name;Street;Town;Postcode;Country;SKU;Goods;Units;Price;Tax code;Paid",
        f"FAIR-01;{written};{lena};PT-14-INK;;2;16,90;;yes",
        "FAIR-01;;;;;;;;;Gift wrap with a ribbon;1;2,50;standard;",
        f"FAIR-02;{spoken};{jon};PT-18-OAT;;1;12,90;;10,00",
        "FAIR-02;;;;;;;;NO-9;Seconds, chipped rim;1;5,00;standard;",
        f"FAIR-03;{written};{mae};PT-14-INK;;0;16,90;;yes",
        f"FAIR-04;31.02.{day:%Y};{mae};PT-14-INK;;1;16,90;;",
        f"FAIR-05;{written};{mae.replace(';IE', ';Atlantis')};PT-14-INK;;1;16,90;;",
        f"FAIR-06;{written};{mae};PT-14-INK;;1;sixteen;;",
        f"FAIR-07;{written};{mae};PT-18-OAT;;3;12,90;;38,70",
    ]
    return "\r\n".join([*lines, ""]).encode("cp1252")
