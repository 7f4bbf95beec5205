"""Every table, by station. `Table.metadata` knows them all."""

from relvan.store.tables.base import Table
from relvan.store.tables.catalogue import (
    Attribute,
    Category,
    CategoryAttribute,
    CurrencyRate,
    KitPart,
    ListPrice,
    Picture,
    PriceBreak,
    PriceList,
    Product,
    ProductPicture,
    SaleWindow,
    SkuName,
)
from relvan.store.tables.channels import Carrier, Channel, Drift, LagSample, NearerPolicy, OutboxEntry, SupplyWarehouse
from relvan.store.tables.dispatch import Parcel, ParcelLine, Pick, PickList, Shipment, ShipmentLine
from relvan.store.tables.duties import Duty, SeenWorker
from relvan.store.tables.jobs import BulkJob, BulkJobBlock, BulkJobRow, Mapping
from relvan.store.tables.listeners import Announcement, Listener
from relvan.store.tables.listings import (
    Finding,
    LayerRow,
    LayerSet,
    Listing,
    ListingLayer,
    PageSearch,
    PriceSent,
    TranslationRow,
)
from relvan.store.tables.orders import Order, OrderLine, Oversale, Reservation
from relvan.store.tables.people import (
    ApiToken,
    AuditEntry,
    Counter,
    KeptView,
    Person,
    Preference,
    RepeatedCall,
    SignInAttempt,
    Toast,
    Visit,
)
from relvan.store.tables.stock import Balance, Bin, BinBalance, ExpectedReceipt, Movement, Transfer, Warehouse

__all__ = [
    "Announcement", "ApiToken", "Attribute", "AuditEntry", "Balance", "Bin", "BinBalance", "BulkJob", "BulkJobBlock",
    "BulkJobRow", "Carrier", "Category", "CategoryAttribute", "Channel", "Counter", "CurrencyRate", "Drift", "Duty",
    "ExpectedReceipt", "Finding", "KeptView", "KitPart", "LagSample", "LayerRow", "LayerSet", "ListPrice", "Listener",
    "Listing", "ListingLayer", "Mapping", "Movement", "NearerPolicy", "Order", "OrderLine", "OutboxEntry", "Oversale",
    "PageSearch", "Parcel", "ParcelLine", "Person", "Pick", "PickList", "Picture", "Preference", "PriceBreak",
    "PriceList", "PriceSent", "Product", "ProductPicture", "RepeatedCall", "Reservation", "SaleWindow", "SeenWorker",
    "Shipment", "ShipmentLine", "SignInAttempt", "SkuName", "SupplyWarehouse", "Table", "Toast", "Transfer",
    "TranslationRow", "Visit", "Warehouse",
]  # fmt: skip
