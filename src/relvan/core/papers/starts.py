"""The texts with which layouts of papers begin, and the values that each kind can place."""

from collections.abc import Mapping, Sequence

from relvan.core.papers.layouts import PaperKind, PaperSize

SLIP = """<div class="top">
  <div>
    <h1>Packing slip</h1>
    Shipment <span class="code">{{ shipment.number }}</span>, order <span class="code">{{ order.number }}</span>
    {% if order.channel %}
      ({{ order.channel }} <span class="code">{{ order.channel_number }}</span>)
    {% endif %}
    <br>Ordered on {{ order.placed }}
  </div>
  <div>
    {{ firm.logo }}
    <br><span class="small">Shipment</span><br>{{ barcode.shipment }}
    {% if order.channel_number %}
      <br><span class="small">Order on {{ order.channel }}</span><br>{{ barcode.channel_number }}
    {% endif %}
  </div>
</div>
<div class="two">
  <div>
    <span class="small">From</span><br>
    {{ shipment.sender }}<br>{{ shipment.street }}<br>
    {{ shipment.postcode }} {{ shipment.town }}<br>{{ shipment.country }}
  </div>
  <div>
    <span class="small">To</span><br>
    {{ customer.name }}<br>{{ customer.street }}<br>
    {{ customer.postcode }} {{ customer.town }}<br>{{ customer.country }}
  </div>
</div>
<table>
  <thead>
    <tr><th>SKU</th><th>Goods</th><th class="right">Units</th></tr>
  </thead>
  <tbody>
    {% for line in lines %}
      <tr>
        <td class="code">{{ line.sku }}</td>
        <td>{{ line.title }}</td>
        <td class="right">{{ line.quantity }}</td>
      </tr>
    {% endfor %}
  </tbody>
</table>
<p class="small">Something missing or broken? Write to us with the number of the order.</p>
"""
ROUND = """<div class="top">
  <div>
    <h1>Pick list {{ list.number }} {{ list.name }}</h1>
    {{ list.warehouse }}, created {{ list.created }} by {{ list.who }}
  </div>
  <div>{{ barcode.list }}</div>
</div>
<table>
  <thead>
    <tr>
      <th>Bin</th><th class="right">Take</th><th>SKU</th><th>Goods</th><th>Tote</th><th>For</th>
    </tr>
  </thead>
  <tbody>
    {% for pick in picks %}
      <tr>
        <td class="code big">{{ pick.bin }}</td>
        <td class="right big">{{ pick.quantity }}</td>
        <td class="code">{{ pick.sku }}</td>
        <td>{{ pick.title }}</td>
        <td class="right">{{ pick.tote }}</td>
        <td class="code">{{ pick.shipment }}</td>
      </tr>
    {% endfor %}
  </tbody>
</table>
"""
LABEL = """<p class="small">{{ firm.name }}</p>
<p class="big">
  {{ customer.name }}<br>{{ customer.street }}<br>
  {{ customer.postcode }} {{ customer.town }}<br>{{ customer.country }}
</p>
<p class="center">
  {{ barcode.shipment }}<br>
  <span class="code">{{ shipment.number }}</span>, parcel {{ parcel.number }} of {{ parcel.of }}
</p>
"""
INVOICE = """<div class="top">
  <div>
    <h1>{{ paper.title }} {{ paper.number }}</h1>
    Of {{ paper.day }}, supplied on {{ paper.supplied }}<br>
    Order <span class="code">{{ paper.order }}</span>
    {% if paper.corrects %}<br>Corrects {{ paper.corrects }}: {{ paper.reason }}{% endif %}
  </div>
  <div>{{ barcode.number }}</div>
</div>
<div class="two">
  <p>{{ firm.name }}<br>{{ firm.street }}<br>{{ firm.postcode }} {{ firm.town }}<br>
    {{ firm.country }}<br>VAT {{ firm.vat_number }}</p>
  <p>{{ customer.name }}<br>{{ customer.street }}<br>
    {{ customer.postcode }} {{ customer.town }}<br>{{ customer.country }}
    {% if customer.vat_number %}<br>VAT {{ customer.vat_number }}{% endif %}</p>
</div>
<table>
  <thead>
    <tr>
      <th>SKU</th><th>Goods</th><th class="right">Units</th><th class="right">Each</th>
      <th class="right">Discount</th><th class="right">Tax</th><th class="right">Amount</th>
    </tr>
  </thead>
  <tbody>
    {% for line in lines %}
      <tr>
        <td class="code">{{ line.sku }}</td><td>{{ line.title }}</td>
        <td class="right">{{ line.quantity }}</td><td class="right">{{ line.each }}</td>
        <td class="right">{{ line.discount }}</td><td class="right">{{ line.tax }}</td>
        <td class="right">{{ line.amount }}</td>
      </tr>
    {% endfor %}
  </tbody>
</table>
<table>
  <tbody>
    {% for rate in rates %}
      <tr><td>Net at {{ rate.percent }}: {{ rate.net }}</td><td class="right">tax {{ rate.tax }}</td></tr>
    {% endfor %}
    <tr><td>Total</td><td class="right big">{{ payment.total }}</td></tr>
    {% if payment.paid %}<tr><td>Paid before</td><td class="right">{{ payment.paid }}</td></tr>{% endif %}
    <tr><td>To be paid by {{ payment.due_on }}</td><td class="right big">{{ payment.due }}</td></tr>
  </tbody>
</table>
<p>{{ paper.words }}</p>
"""
ESTIMATE = """<div class="top">
  <div>
    <h1>Estimate {{ paper.number }}</h1>
    Of {{ paper.day }}, it holds until {{ paper.last_day }}
  </div>
  <div>{{ barcode.link }}</div>
</div>
<div class="two">
  <p>{{ firm.name }}<br>{{ firm.street }}<br>{{ firm.postcode }} {{ firm.town }}</p>
  <p>{{ customer.name }}<br>{{ customer.street }}<br>
    {{ customer.postcode }} {{ customer.town }}<br>{{ customer.country }}</p>
</div>
<table>
  <thead>
    <tr>
      <th>SKU</th><th>Goods</th><th class="right">Units</th><th class="right">Each</th>
      <th class="right">Amount</th>
    </tr>
  </thead>
  <tbody>
    {% for line in lines %}
      <tr>
        <td class="code">{{ line.sku }}</td><td>{{ line.title }}</td>
        <td class="right">{{ line.quantity }}</td><td class="right">{{ line.each }}</td>
        <td class="right">{{ line.amount }}</td>
      </tr>
    {% endfor %}
  </tbody>
</table>
<p>Delivery {{ payment.delivery }}. To be paid: <b>{{ payment.total }}</b>, {{ paper.words }}.</p>
<p class="small">Accept it at {{ paper.link }}</p>
"""
MANIFEST = """<div class="top">
  <div>
    <h1>Manifest {{ paper.number }}</h1>
    {{ paper.carrier }} from {{ paper.warehouse }}, {{ paper.day }}, {{ paper.parcels }} parcels,
    {{ paper.weight }}
  </div>
  <div>{{ barcode.number }}</div>
</div>
<h2>Handed over</h2>
<table>
  <thead>
    <tr><th>Parcel</th><th>Order</th><th>To</th><th class="right">Weight</th></tr>
  </thead>
  <tbody>
    {% for parcel in parcels %}
      <tr>
        <td class="code">{{ parcel.tracking_number }}</td><td class="code">{{ parcel.order }}</td>
        <td>{{ parcel.receiver }}, {{ parcel.country }}</td>
        <td class="right">{{ parcel.weight }}</td>
      </tr>
    {% endfor %}
  </tbody>
</table>
{% if left %}
  <h2>Not handed over</h2>
  <p>{% for one in left %}<span class="code">{{ one.tracking_number }}</span> {% endfor %}</p>
{% endif %}
<p>Taken by, with date and signature:</p>
"""
STARTS: Mapping[PaperKind, tuple[PaperSize, str]] = {
    PaperKind.PACKING_SLIP: (PaperSize.A4, SLIP),
    PaperKind.PICK_LIST: (PaperSize.A4, ROUND),
    PaperKind.CARTON_LABEL: (PaperSize.LABEL, LABEL),
    PaperKind.INVOICE: (PaperSize.A4, INVOICE),
    PaperKind.ESTIMATE: (PaperSize.A4, ESTIMATE),
    PaperKind.MANIFEST: (PaperSize.A4, MANIFEST),
}
# the values that a layout may place, by topic
SHIPPED = {
    "firm": ("name", "street", "postcode", "town", "country", "vat_number", "logo"),
    "customer": ("name", "street", "postcode", "town", "country", "mail", "phone"),
    "order": ("number", "channel", "channel_number", "reference", "placed", "promised"),
    "shipment": ("number", "warehouse", "sender", "street", "postcode", "town", "country"),
    "lines": ("sku", "title", "quantity", "gtin", "barcode"),
    "parcel": ("number", "of", "weight", "tracking_number", "carton"),
    "barcode": ("order", "channel_number", "shipment", "tracking_number", "order_qr"),
}
TOPICS: Mapping[PaperKind, Mapping[str, Sequence[str]]] = {
    PaperKind.PACKING_SLIP: {name: SHIPPED[name] for name in SHIPPED if name != "parcel"},
    PaperKind.CARTON_LABEL: SHIPPED,
    PaperKind.PICK_LIST: {
        "firm": SHIPPED["firm"],
        "list": ("number", "name", "warehouse", "created", "who"),
        "picks": ("bin", "sku", "title", "quantity", "tote", "shipment", "order", "barcode"),
        "barcode": ("list", "list_qr"),
    },
    PaperKind.INVOICE: {
        "firm": SHIPPED["firm"],
        "customer": (*SHIPPED["customer"][:5], "vat_number"),
        "paper": (
            "title",
            "number",
            "day",
            "supplied",
            "order",
            "corrects",
            "reason",
            "words",
        ),
        "lines": ("sku", "title", "quantity", "each", "discount", "tax", "amount"),
        "rates": ("percent", "net", "tax"),
        "payment": ("net", "tax", "total", "paid", "due", "due_on"),
        "barcode": ("number", "order", "number_qr"),
    },
    PaperKind.ESTIMATE: {
        "firm": SHIPPED["firm"],
        "customer": (*SHIPPED["customer"][:5], "vat_number"),
        "paper": ("number", "day", "last_day", "words", "link"),
        "lines": ("sku", "title", "quantity", "each", "discount", "amount"),
        "payment": ("delivery", "total"),
        "barcode": ("number", "link"),
    },
    PaperKind.MANIFEST: {
        "firm": SHIPPED["firm"],
        "paper": (
            "number",
            "carrier",
            "carrier_number",
            "warehouse",
            "day",
            "parcels",
            "weight",
        ),
        "parcels": ("tracking_number", "order", "shipment", "receiver", "country", "weight"),
        "left": ("tracking_number", "order", "receiver"),
        "barcode": ("number", "number_qr"),
    },
}
