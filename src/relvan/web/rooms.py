"""Lists the stations along the head of every page, and the pages of each station."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Room:
    """One page of a station: its key, its name, and the name of its route."""

    key: str
    name: str
    route: str


STATIONS = (
    Room("today", "Today", "today_show"),
    Room("catalogue", "Catalogue", "product_index"),
    Room("listings", "Listings", "listing_index"),
    Room("stock", "Stock", "stock_index"),
    Room("prices", "Prices", "price_index"),
    Room("orders", "Orders", "order_index"),
    Room("dispatch", "Dispatch", "dispatch_index"),
    Room("consignments", "Consignments", "consignment_index"),
)

ROOMS = {
    "catalogue": (
        Room("products", "Products", "product_index"),
        Room("imports", "Import and export", "import_index"),
        Room("categories", "Categories and attributes", "category_index"),
        Room("history", "Changes", "product_history"),
        Room("jobs", "Bulk jobs", "job_index"),
    ),
    "listings": (
        Room("listings", "Listings", "listing_index"),
        Room("coverage", "Coverage", "coverage_index"),
        Room("gaps", "Gaps", "gap_index"),
        Room("pages", "Catalogue pages", "catalogue_page_index"),
        Room("layers", "Layers", "layer_index"),
        Room("translations", "Translations", "translation_index"),
        Room("findings", "Unlinked listings", "finding_index"),
    ),
    "stock": (
        Room("stock", "By product", "stock_index"),
        Room("bins", "By bin", "bin_index"),
        Room("ledger", "Ledger", "ledger_index"),
        Room("coming", "Coming", "coming_index"),
        Room("count", "Count", "count_show"),
        Room("outlook", "Outlook", "outlook_show"),
    ),
    "prices": (
        Room("prices", "On the channels", "price_index"),
        Room("lists", "Price lists", "price_list_index"),
        Room("sales", "Sale prices", "sale_index"),
        Room("rates", "Rates", "rate_index"),
        Room("history", "Prices sent", "price_history"),
    ),
    "orders": (
        Room("orders", "Orders", "order_index"),
        Room("board", "Board", "order_board"),
        Room("new", "New order", "order_new"),
        Room("scarce", "Scarce goods", "scarce_index"),
        Room("estimates", "Estimates", "estimate_index"),
        Room("customers", "Customers", "customer_index"),
        Room("invoices", "Invoices", "invoice_index"),
        Room("payments", "Payments", "payment_index"),
        Room("returns", "Returns", "return_index"),
        Room("earned", "Earned", "earned_show"),
        Room("mails", "Mails", "mail_index"),
        Room("trays", "Trays", "tray_index"),
        Room("rules", "Rules", "rule_index"),
    ),
    "dispatch": (
        Room("shipments", "Shipments", "dispatch_index"),
        Room("bench", "Pack bench", "bench_show"),
        Room("phone", "Pick on a phone", "phone_index"),
        Room("goods-in", "Goods in", "goods_in_show"),
        Room("parcels", "Parcels under way", "parcel_index"),
        Room("figures", "Figures", "dispatch_figures_show"),
    ),
    "setup": (
        Room("channels", "Channels, carriers", "setup_index"),
        Room("move-in", "Move in", "move_in_index"),
        Room("firm", "Firm", "firm_show"),
        Room("warehouses", "Warehouses", "warehouse_index"),
        Room("mail", "Mail", "mail_show"),
        Room("cartons", "Cartons", "carton_index"),
        Room("carriage", "Carriage", "carriage_index"),
        Room("papers", "Papers", "layout_index"),
        Room("devices", "Devices", "device_index"),
        Room("tax", "Tax", "tax_show"),
        Room("lists", "Price lists", "price_list_index"),
        Room("categories", "Categories", "category_index"),
        Room("people", "People", "people_index"),
        Room("tokens", "Tokens", "token_index"),
        Room("webhooks", "Webhooks", "webhook_index"),
        Room("backups", "Backups", "backup_index"),
        Room("health", "Health", "health_show"),
    ),
    "updates": (
        Room("updates", "By channel", "update_index"),
        Room("drift", "Drift", "drift_index"),
    ),
}
