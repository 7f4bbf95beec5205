"""Holds the rules that must always be true in a database, each with a query for what breaks it:
ledger, reservations, orders, shipments, updates, listings. It also checks the file of an SQLite
database.
"""

from sqlalchemy import text
from sqlalchemy.orm import Session

MOST_BREACHES = 20  # told of each rule

# name -> a query that returns the breaches, each as one line of text
INVARIANTS = {
    "what is on hand and blocked is the sum of the ledger, by warehouse": """
        SELECT p.sku || ' in ' || w.name || ': ledger ' || m.units || '/' || m.blocked || ', balance '
            || coalesce(b.on_hand, 0) || '/' || coalesce(b.blocked, 0)
        FROM (SELECT product_id, warehouse_id, sum(on_hand) AS units, sum(blocked) AS blocked
              FROM movement GROUP BY product_id, warehouse_id) m
        JOIN product p ON p.id = m.product_id JOIN warehouse w ON w.id = m.warehouse_id
        LEFT JOIN balance b ON b.product_id = m.product_id AND b.warehouse_id = m.warehouse_id
        WHERE coalesce(b.on_hand, 0) <> m.units OR coalesce(b.blocked, 0) <> m.blocked""",
    "no balance is without a ledger": """
        SELECT p.sku || ' has ' || b.on_hand || ' on hand and no movement' FROM balance b
        JOIN product p ON p.id = b.product_id
        WHERE (b.on_hand <> 0 OR b.blocked <> 0) AND NOT EXISTS (SELECT 1 FROM movement m
            WHERE m.product_id = b.product_id AND m.warehouse_id = b.warehouse_id)""",
    "what lies in bins is the sum of the ledger, by bin": """
        SELECT p.sku || ' in ' || n.code || ': ledger ' || m.units || ', bin ' || coalesce(b.on_hand, 0)
        FROM (SELECT product_id, bin_id, sum(on_hand) AS units, sum(blocked) AS blocked
              FROM movement GROUP BY product_id, bin_id) m
        JOIN product p ON p.id = m.product_id JOIN bin n ON n.id = m.bin_id
        LEFT JOIN bin_balance b ON b.product_id = m.product_id AND b.bin_id = m.bin_id
        WHERE coalesce(b.on_hand, 0) <> m.units OR coalesce(b.blocked, 0) <> m.blocked""",
    "what is reserved is the sum of the promises": """
        SELECT p.sku || ' in ' || w.name || ': promised ' || coalesce(r.units, 0) || ', reserved ' || b.reserved
        FROM balance b JOIN product p ON p.id = b.product_id JOIN warehouse w ON w.id = b.warehouse_id
        LEFT JOIN (SELECT product_id, warehouse_id, sum(quantity) AS units FROM reservation
                   GROUP BY product_id, warehouse_id) r
            ON r.product_id = b.product_id AND r.warehouse_id = b.warehouse_id
        WHERE b.reserved <> coalesce(r.units, 0)""",
    "no line is promised more than it still wants": """
        SELECT o.number || ' line ' || l.position || ': promised ' || sum(r.quantity)
        FROM reservation r JOIN order_line l ON l.id = r.order_line_id JOIN customer_order o ON o.id = l.order_id
        GROUP BY l.id, o.id HAVING sum(r.quantity) + l.shipped > l.quantity""",
    "a cancelled order holds no stock beyond shipments under way": """
        SELECT o.number || ' is cancelled and holds stock' FROM reservation r
        JOIN order_line l ON l.id = r.order_line_id JOIN customer_order o ON o.id = l.order_id
        WHERE o.cancelled_at IS NOT NULL AND NOT EXISTS (SELECT 1 FROM shipment s WHERE s.order_id = o.id
            AND s.state NOT IN ('dispatched', 'cancelled'))""",
    "what was shipped left by movements": """
        SELECT s.number || ': picked ' || sum(l.picked) || ', left ' || coalesce((SELECT -sum(m.on_hand)
            FROM movement m WHERE m.shipment_id = s.id AND m.reason = 'dispatch'), 0)
        FROM shipment s JOIN shipment_line l ON l.shipment_id = s.id WHERE s.state = 'dispatched'
        GROUP BY s.id HAVING sum(l.picked) <> coalesce((SELECT -sum(m.on_hand) FROM movement m
            WHERE m.shipment_id = s.id AND m.reason = 'dispatch'), 0)""",
    "what an order line says was shipped is what its shipments say": """
        SELECT o.number || ' line ' || l.position || ': shipped ' || l.shipped
        FROM order_line l JOIN customer_order o ON o.id = l.order_id
        WHERE l.shipped <> coalesce((SELECT sum(x.picked) FROM shipment_line x JOIN shipment s ON s.id = x.shipment_id
            WHERE x.order_line_id = l.id AND s.state = 'dispatched'), 0)""",
    "every parcel that left has one tracking number of its own": """
        SELECT 'parcel ' || p.id || ' of ' || s.number FROM parcel p JOIN shipment s ON s.id = p.shipment_id
        WHERE s.state = 'dispatched' AND (p.tracking_number IS NULL OR EXISTS (SELECT 1 FROM parcel q
            WHERE q.tracking_number = p.tracking_number AND q.id <> p.id))""",
    "a channel's order was taken once": """
        SELECT c.name || ' ' || o.channel_number || ' was taken ' || count(*) || ' times'
        FROM customer_order o JOIN channel c ON c.id = o.channel_id
        GROUP BY c.name, o.channel_id, o.channel_number HAVING count(*) > 1""",
    "what is paid of an order is the sum of its payments that count": """
        SELECT o.number || ': paid ' || o.paid || ', payments ' || coalesce(p.amount, 0)
        FROM customer_order o LEFT JOIN (SELECT order_id, sum(amount) AS amount FROM payment
            WHERE state = 'firm' OR released_at IS NOT NULL GROUP BY order_id) p ON p.order_id = o.id
        WHERE o.paid <> coalesce(p.amount, 0)""",
    "what an order line says was invoiced is what its invoices say": """
        SELECT o.number || ' line ' || l.position || ': invoiced ' || l.invoiced || ', on invoices '
            || coalesce(i.units, 0)
        FROM order_line l JOIN customer_order o ON o.id = l.order_id
        LEFT JOIN (SELECT x.order_line_id, sum(CASE WHEN v.kind = 'invoice' THEN x.quantity
                WHEN v.again = TRUE THEN -x.quantity ELSE 0 END) AS units
            FROM invoice_line x JOIN invoice v ON v.id = x.invoice_id GROUP BY x.order_line_id) i
            ON i.order_line_id = l.id
        WHERE l.invoiced <> coalesce(i.units, 0)""",
    "no line is invoiced beyond what was ordered": """
        SELECT o.number || ' line ' || l.position || ': invoiced ' || l.invoiced || ' of ' || l.quantity
        FROM order_line l JOIN customer_order o ON o.id = l.order_id
        WHERE l.invoiced > l.quantity OR l.invoiced < 0""",
    "the numbers of invoices and of credit notes have no holes": """
        SELECT kind || ' ' || min(serial) || ' to ' || max(serial) || ': ' || count(*) FROM invoice
        GROUP BY kind HAVING max(serial) - min(serial) + 1 <> count(*)""",
    "an invoice is the sum of its lines": """
        SELECT v.number || ': net ' || v.net || ', lines ' || coalesce(sum(x.net), 0)
        FROM invoice v LEFT JOIN invoice_line x ON x.invoice_id = v.id
        GROUP BY v.id HAVING v.net <> coalesce(sum(x.net), 0) OR v.total <> v.net + v.tax""",
    "no more is given back than stood on an invoice": """
        SELECT v.number || ' line ' || x.position || ': ' || x.quantity || ', given back ' || sum(y.quantity)
        FROM invoice v JOIN invoice_line x ON x.invoice_id = v.id
        JOIN invoice c ON c.corrects_id = v.id
        JOIN invoice_line y ON y.invoice_id = c.id AND y.position = x.position
        GROUP BY v.id, x.id HAVING sum(y.quantity) > x.quantity""",
    "a listing whose quantity or price was not accepted has an update that waits": """
        SELECT p.sku || ' on ' || c.name || ': holds ' || l.quantity || ', sent '
            || coalesce(CAST(l.sent_quantity AS text), 'none')
        FROM listing l JOIN product p ON p.id = l.product_id JOIN channel c ON c.id = l.channel_id
        WHERE l.placed = TRUE AND l.followed = TRUE AND c.connection IN ('connected', 'ending') AND (
            (coalesce(l.sent_quantity, -1) <> l.quantity AND NOT EXISTS (SELECT 1 FROM outbox_entry e
                WHERE e.listing_id = l.id AND e.topic = 'quantity'
                AND (e.state IN ('waiting', 'sending', 'handed in') OR (e.state = 'refused' AND l.state = 'refused'))))
            OR (l.price IS NOT NULL AND coalesce(l.sent_price, -1) <> l.price AND NOT EXISTS (SELECT 1
                FROM outbox_entry e WHERE e.listing_id = l.id AND e.topic = 'price'
                AND (e.state IN ('waiting', 'sending', 'handed in')
                    OR (e.state = 'refused' AND l.state = 'refused')))))""",
    "no variant is on a channel without the page of its family": """
        SELECT p.sku || ' on ' || c.name || ' stands on a page that is not there' FROM listing l
        JOIN listing h ON h.id = l.head_id JOIN product p ON p.id = l.product_id JOIN channel c ON c.id = l.channel_id
        WHERE l.placed = TRUE AND h.placed = FALSE""",
    "an update that waits is about something that is there": """
        SELECT 'update ' || e.id || ' about ' || e.subject FROM outbox_entry e
        LEFT JOIN listing l ON l.id = e.listing_id
        WHERE e.state = 'waiting' AND e.listing_id IS NOT NULL
            AND (l.id IS NULL OR l.channel_id <> e.channel_id OR (l.placed = FALSE AND e.topic <> 'publish'))""",
    "an update has come to an end when it no longer waits, and only then": """
        SELECT 'update ' || e.id || ' about ' || e.subject || ' is ' || e.state FROM outbox_entry e
        WHERE (e.ended_at IS NULL) <> (e.state IN ('waiting', 'sending', 'handed in'))""",
    "every SKU leads to its product": """
        SELECT p.sku FROM product p WHERE NOT EXISTS (SELECT 1 FROM sku_name n
            WHERE n.key = p.sku_key AND n.product_id = p.id AND n.alias = FALSE)""",
    "a variant's family is a family, and only a variant has one": """
        SELECT v.sku FROM product v LEFT JOIN product f ON f.id = v.family_id
        WHERE (v.kind = 'variant' AND (f.id IS NULL OR f.kind <> 'family' OR v.combination IS NULL))
            OR (v.kind <> 'variant' AND v.family_id IS NOT NULL)""",
    "only a kit has parts, and a part is no family and no service": """
        SELECT k.sku || ' holds ' || p.sku FROM kit_part x JOIN product k ON k.id = x.kit_id
        JOIN product p ON p.id = x.part_id WHERE k.kind <> 'kit' OR p.kind IN ('family', 'service')""",
    "no kit holds itself": """
        WITH RECURSIVE held (kit, part) AS (SELECT kit_id, part_id FROM kit_part
            UNION SELECT held.kit, x.part_id FROM held JOIN kit_part x ON x.kit_id = held.part)
        SELECT p.sku FROM held JOIN product p ON p.id = held.kit WHERE held.kit = held.part""",
    "families, kits and services hold no stock": """
        SELECT p.sku || ' is a ' || p.kind FROM balance b JOIN product p ON p.id = b.product_id
        WHERE p.kind IN ('family', 'kit', 'service') AND (b.on_hand > 0 OR b.reserved > 0)""",
    "the parts of a sold kit are whole kits": """
        SELECT o.number || ' line ' || l.position FROM order_line l JOIN order_line k ON k.id = l.part_of
        JOIN customer_order o ON o.id = l.order_id WHERE l.quantity % k.quantity <> 0 OR k.stocked = TRUE""",
    "a job that rests has no row that waits": """
        SELECT 'job ' || j.id || ' row ' || r.position FROM bulk_job_row r JOIN bulk_job j ON j.id = r.job_id
        WHERE j.state IN ('ended', 'undone') AND r.verdict IN ('waiting', 'new', 'changes') AND r.position > 0
        UNION ALL SELECT 'job ' || j.id || ' from row ' || b.first FROM bulk_job_block b
        JOIN bulk_job j ON j.id = b.job_id
        WHERE j.state IN ('ended', 'undone') AND b.verdict IN ('new', 'changes')""",
    "the open picks of a shipment ask for what is still to be picked": """
        SELECT s.number || ': ' || (l.quantity - l.picked) || ' to pick, ' || coalesce(k.units, 0) || ' asked'
        FROM shipment_line l JOIN shipment s ON s.id = l.shipment_id
        LEFT JOIN (SELECT shipment_line_id, sum(quantity) AS units FROM pick WHERE picked IS NULL
                   GROUP BY shipment_line_id) k ON k.shipment_line_id = l.id
        WHERE s.state = 'picking' AND l.quantity - l.picked <> coalesce(k.units, 0)""",
    "a parcel on a manifest has a label and was dispatched": """
        SELECT s.number || ' parcel ' || p.position FROM parcel p JOIN shipment s ON s.id = p.shipment_id
        WHERE p.manifest_id IS NOT NULL AND (p.tracking_number IS NULL OR s.state <> 'dispatched')""",
    "no more is scanned at the bench than was picked": """
        SELECT s.number || ': ' || l.scanned || ' scanned, ' || l.picked || ' picked'
        FROM shipment_line l JOIN shipment s ON s.id = l.shipment_id WHERE l.scanned > l.picked""",
    "every product can be found by search": """
        SELECT p.sku FROM product p WHERE NOT EXISTS (SELECT 1 FROM product_search s WHERE s.rowid = p.id)""",
}


def breaches_of(session: Session, rule: str) -> list[str]:
    """Returns what breaks a rule of `INVARIANTS`, each breach as one line of text; at most
    `MOST_BREACHES`.
    """
    statement = text(f"SELECT * FROM ({INVARIANTS[rule]}) AS found LIMIT {MOST_BREACHES}")
    return [str(row[0]) for row in session.execute(statement)]


def file_damage(session: Session) -> list[tuple[str, str]]:
    """Returns what is wrong with the file of an SQLite database, as (rule, detail). A database
    server checks its own files.
    """
    if session.get_bind().dialect.name != "sqlite":
        return []
    found = [
        ("the file is sound", str(row[0])) for row in session.execute(text("PRAGMA quick_check"))
    ]
    keys = session.execute(text("PRAGMA foreign_key_check"))
    return [one for one in found if one[1] != "ok"] + [
        ("foreign keys lead somewhere", str(tuple(row))) for row in keys
    ]
