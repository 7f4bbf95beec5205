"""Says who works at Quillmoss, what is listed where, and how its three months go."""

from relvan.core.people.roles import Role

PASSWORD = "quillmoss-demo"
MAIL_FROM = "post@example.com"


PEOPLE = (
    ("imogen", "Imogen Hartwell", Role.OWNER),
    ("tobias", "Tobias Renn", Role.CATALOGUE),
    ("noor", "Noor Adeyemi", Role.ORDERS),
    ("piet", "Piet Osterhaus", Role.WAREHOUSE),
)


NOT_ON_HAGGLET = {
    "SO-SEED-40",
    "SO-POT-50",
    "SO-POT-20",
    "CA-HOOK",
    "CA-TWINE",
    "SE-SALAD",
    "SE-DILL",
}


NOT_ON_OWNSHOP = {"TL-TWEEZ", "SE-STRAW", "CA-LABEL"}


MORE_ON_OWNSHOP = ("SA", "HP", "KIT-HERB", "KIT-TRIO-9", "KIT-TOOLS")


SHELVES = {
    "Pots": "hg-planters",
    "Tools": "hg-tools",
    "Soil": "hg-soil",
    "Seeds": "hg-seeds",
    "Watering": "hg-watering",
}


SENDER = {
    "name": "Quillmoss",
    "street": "3 Millrace Yard",
    "town": "Tarnhollow",
    "postcode": "T12 R4X8",
    "country": "IE",
}


FIRM = {
    "packaging": 38,
    "name": "Quillmoss",
    "address": {**SENDER, "mail": "post@example.com"},
    "vat_number": "IE1234567T",
    "eori": "IE1234567T",
}


WAREHOUSES = (
    ("millrace", "Millrace", "{aisle:A-L}-{bay:01-08}"),
    ("yard", "Coldharbour Yard", "Y{aisle:1-3}-{bay:01-06}"),
)


MARKETS = ("hagglet", "ownshop", "loomstead", "corvello")


FROM_THE_START = MARKETS[:3]


DAYS = 91


DAYS_WORKED, DAYS_LEFT = 88.0, 2.8  # the orders of the last days are still in the house


ROUNDS = 12  # of buying; orders are read after each of them


LEFT_OPEN = 5  # of these, the last


ORDERS_WORKED, ORDERS_OPEN = 9, 9  # in each round


RESTOCK_EVERY = 3


SOLD_ON_ACCOUNT = 3  # the afternoon on which something was sold on account


BY_TELEPHONE = ("WA-MISTB", "PT-24-RUS")  # more is ordered of them than there is
# orders by telephone for more than there is: SKU, title, units, price in minor units, customer
TELEPHONE_ORDERS = (
    ("WA-MISTB", "Plant mister, brass, 200 ml", 60, 2990, "Larkspur Tea Rooms"),
    ("PT-24-RUS", "Aubrey pot, rust glaze, 24 cm", 2, 3990, "Odile Marchetti"),
)
# a notice that somebody placed on Hagglet by hand, under a code that the catalogue does not know
NOTICE = {
    "own_code": "TWINE-G",
    "heading": "Green garden twine, 60 m",
    "text": "Jute twine, dyed green, 60 m.",
    "shelf": "hg-other",
    "condition": "new",
    "asking": 699,
    "units": 5,
    "details": {},
}
