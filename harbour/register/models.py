"""The record types of the register. Labels, help and choices here are what its interface tells of them."""

from __future__ import annotations

from typing import Any, ClassVar

from django.db import models

from .fields import ManyChoiceField, ScaledDecimalField

SERVICES = [("water", "Water"), ("power", "Power"), ("wifi", "Wi-fi"), ("pump-out", "Pump-out"), ("crane", "Crane")]
PAPERS = [
    ("registry", "Registry"),
    ("survey", "Survey"),
    ("insurance", "Insurance"),
    ("radio", "Radio licence"),
    ("gas", "Gas check"),
    ("crew", "Crew list"),
]
STATUSES = [("free", "Free"), ("let", "Let"), ("closed", "Closed"), ("retired", "Retired")]
STORM_CLASSES = [("A", "A, open sea"), ("B", "B, coast"), ("C", "C, sheltered"), ("D", "D, basin only")]
KINDS = [("seasonal", "Seasonal"), ("visitor", "Visitor")]
CURRENCIES = [("EUR", "Euro"), ("GBP", "Pound"), ("NOK", "Krone")]
SEASONS = [("winter", "Winter"), ("spring", "Spring"), ("summer", "Summer"), ("autumn", "Autumn")]


def money(label: str, precision: int = 18, **kwargs: Any) -> ScaledDecimalField:
    return ScaledDecimalField(label, precision=precision, scale=2, **kwargs)


def link(to: str, label: str, *, null: bool = True, **kwargs: Any) -> models.ForeignKey[Any, Any]:
    return models.ForeignKey(
        to, models.PROTECT, verbose_name=label, null=null, related_name=kwargs.pop("related_name", "+"), **kwargs
    )


class Record(models.Model):
    """What every record has: a version that rises with each change, and who changed it last.

    ``one_of_two`` are pairs of fields of which one is empty, ``only_for`` fields that belong to records with a certain
    value of another field, ``tree`` the reference that makes a tree of the type; ``immutable`` are fields that are set
    when a record is made, ``also_called`` other names of fields, and ``long_form`` the letters and figures of numbers
    that are known without them too; ``warns`` what whoever changes a field should know (the type under an empty
    name); ``added`` are fields that came later, and whether they are required.
    """

    version = models.PositiveIntegerField("Version", default=1)
    changed_by = models.CharField("Changed by", max_length=80, default="")
    changed_at = models.DateTimeField("Changed at", null=True)

    plural: ClassVar[str] = ""
    entity_set: ClassVar[str] = ""
    keys: ClassVar[tuple[tuple[str, ...], ...]] = ()
    computed: ClassVar[tuple[str, ...]] = ()
    naming: ClassVar[tuple[str, ...]] = ()
    one_of_two: ClassVar[tuple[tuple[str, str], ...]] = ()
    only_for: ClassVar[dict[str, tuple[str, str]]] = {}
    tree: ClassVar[str] = ""
    immutable: ClassVar[tuple[str, ...]] = ()
    also_called: ClassVar[dict[str, tuple[str, ...]]] = {}
    long_form: ClassVar[dict[str, tuple[str, int]]] = {}
    warns: ClassVar[dict[str, str]] = {}
    added: ClassVar[dict[str, bool]] = {}

    class Meta:
        abstract = True


class Harbour(Record):
    code = models.CharField("Code", max_length=12, primary_key=True)
    name = models.CharField("Name", max_length=60)
    region = models.CharField("Region", max_length=40, blank=True)

    plural, entity_set, naming = "Harbours", "Harbours", ("code",)

    class Meta:
        verbose_name = "Harbour"


class Holder(Record):
    id = models.BigAutoField("Record ID", primary_key=True)
    holder_no = models.CharField("Holder no.", max_length=7, unique=True, help_text="Seven figures, zeros in front.")
    first_name = models.CharField("First name", max_length=60, blank=True)
    last_name = models.CharField("Last name", max_length=60)
    email = models.CharField("E-mail", max_length=120, unique=True, null=True, help_text="One holder an address.")
    phone = models.CharField("Phone", max_length=30, blank=True)
    joined_on = models.DateField("Joined on", null=True)
    open_contracts = models.IntegerField("Open contracts", default=0)

    plural, entity_set = "Holders", "Holders"
    keys = (("holder_no",), ("email",))
    computed = ("open_contracts",)
    naming = ("holder_no",)

    class Meta:
        verbose_name = "Holder"


class Berth(Record):
    id = models.BigAutoField("Record ID", primary_key=True)
    harbour = link("Harbour", "Harbour", null=False)
    berth_no = models.CharField("Berth no.", max_length=10)
    ring_no = models.CharField("Ring no.", max_length=10, unique=True, null=True)
    pontoon = link("self", "Pontoon", help_text="The berth that this one hangs on.")
    length_m = ScaledDecimalField("Length, m", precision=5, scale=1)
    depth_m = ScaledDecimalField("Depth at low water, m", precision=5, scale=2, null=True)
    daily_rate = money("Daily rate", 8, null=True, help_text="Above 0 and at most 500. Instead of a flat season rate.")
    flat_season_rate = money("Flat season rate", 10, null=True, help_text="Instead of a daily rate.")
    services = ManyChoiceField("Services", choices=SERVICES, blank=True)
    status = models.CharField("Status", max_length=10, choices=STATUSES, default="free")
    holder = link("Holder", "Holder", help_text="A let berth needs one.")
    insured_until = models.DateField("Insured until", null=True)
    notes = models.TextField("Notes", blank=True)
    balance_due = money("Balance due", default=0)
    occupancy_last_year = ScaledDecimalField("Occupancy last year, %", precision=5, scale=1, default=0)

    plural, entity_set = "Berths", "Berths"
    keys = (("harbour", "berth_no"), ("ring_no",))
    computed = ("balance_due", "occupancy_last_year")
    naming = ("harbour", "berth_no")
    one_of_two = (("daily_rate", "flat_season_rate"),)
    tree = "pontoon"
    also_called: ClassVar[dict[str, tuple[str, ...]]] = {
        "harbour": ("Site", "Port"),
        "length_m": ("LOA", "Length overall"),
        "services": ("Fittings", "Facilities"),
    }
    warns: ClassVar[dict[str, str]] = {
        "status": "The gates read it at midnight: from then on the fobs of a closed berth open nothing."
    }

    class Meta:
        verbose_name = "Berth"
        unique_together = [("harbour", "berth_no")]


class Vessel(Record):
    id = models.BigAutoField("Record ID", primary_key=True)
    registration = models.CharField("Registration", max_length=14, unique=True)
    name = models.CharField("Name", max_length=60)
    length_m = ScaledDecimalField("Length, m", precision=5, scale=1, null=True)
    draft_m = ScaledDecimalField("Draft, m", precision=4, scale=2, null=True)
    owner = link("Holder", "Owner")
    home_berth = link("Berth", "Home berth")
    insurance_no = models.CharField("Insurance no.", max_length=16, blank=True, help_text="Sixteen figures.")
    insured_until = models.DateField("Insured until", null=True)
    papers = ManyChoiceField("Papers lodged", choices=PAPERS, blank=True)
    storm_class = models.CharField("Storm class", max_length=1, choices=STORM_CLASSES, null=True)

    plural, entity_set = "Vessels", "Vessels"
    keys = (("registration",),)
    naming = ("registration",)

    class Meta:
        verbose_name = "Vessel"


class Contract(Record):
    id = models.BigAutoField("Record ID", primary_key=True)
    contract_no = models.CharField("Contract no.", max_length=12, unique=True)
    kind = models.CharField("Kind", max_length=10, choices=KINDS, default="seasonal")
    berth = link("Berth", "Berth", null=False)
    holder = link("Holder", "Holder", null=False)
    start = models.DateField("Start")
    end = models.DateField("End")
    amount = money("Amount")
    currency = models.CharField("Currency", max_length=3, choices=CURRENCIES, default="EUR")
    nights = models.IntegerField("Nights", null=True, help_text="Visitor contracts only.")

    plural, entity_set = "Contracts", "Contracts"
    keys = (("contract_no",),)
    naming = ("contract_no",)
    immutable = ("kind",)

    only_for: ClassVar[dict[str, tuple[str, str]]] = {"nights": ("kind", "visitor")}

    class Meta:
        verbose_name = "Contract"


class TariffLine(Record):
    id = models.BigAutoField("Record ID", primary_key=True)
    season = models.CharField("Season", max_length=10, choices=SEASONS)
    length_band = models.CharField("Length band", max_length=10)
    harbour = link("Harbour", "Harbour", null=False)
    amount = ScaledDecimalField("Amount", precision=10, scale=4)

    plural, entity_set = "Tariff lines", "TariffLines"
    keys = (("season", "length_band", "harbour"),)
    naming = ("season", "length_band", "harbour")
    warns: ClassVar[dict[str, str]] = {"": "The harbours' web page shows the tariff within the hour."}

    class Meta:
        verbose_name = "Tariff line"
        unique_together = [("season", "length_band", "harbour")]


class GateFob(Record):
    id = models.BigAutoField("Record ID", primary_key=True)
    fob_no = models.CharField("Fob no.", max_length=8, unique=True)
    print_no = models.CharField("Print no.", max_length=16, unique=True)
    holder = link("Holder", "Holder")
    harbour = link("Harbour", "Harbour", null=False)
    master = models.BooleanField("Master", default=False)
    blocked = models.BooleanField("Blocked", default=False)
    last_used = models.DateTimeField("Last used", null=True)

    plural, entity_set = "Gate fobs", "GateFobs"
    keys = (("fob_no",), ("print_no",))
    computed = ("last_used",)
    long_form: ClassVar[dict[str, tuple[str, int]]] = {"fob_no": ("F", 5)}
    naming = ("fob_no",)

    class Meta:
        verbose_name = "Gate fob"


class Reading(Record):
    id = models.BigAutoField("Record ID", primary_key=True)
    meter = models.CharField("Meter", max_length=12)
    read_at = models.DateTimeField("Read at")
    kwh = ScaledDecimalField("Energy, kWh", precision=12, scale=3)

    plural, entity_set = "Shore-power readings", "Readings"
    keys = (("meter", "read_at"),)
    naming = ("meter", "read_at")

    class Meta:
        verbose_name = "Shore-power reading"
        unique_together = [("meter", "read_at")]


class AddedField(models.Model):
    """A field that was added while the register ran."""

    record_type = models.CharField(max_length=40)
    name = models.CharField(max_length=40)
    label = models.CharField(max_length=80)
    kind = models.CharField(max_length=12)
    required = models.BooleanField(default=False)
    choices = models.JSONField(default=list)


class AddedChoice(models.Model):
    """A choice that was added while the register ran."""

    record_type = models.CharField(max_length=40)
    field = models.CharField(max_length=40)
    value = models.CharField(max_length=60)
    label = models.CharField(max_length=60)


class Repeat(models.Model):
    """A request that came with a number of its own, and how it was answered: asked again, it is not done again."""

    number = models.CharField(max_length=80, primary_key=True)
    digest = models.CharField(max_length=64)
    status = models.IntegerField()
    body = models.TextField()
    headers = models.JSONField()


TYPES: tuple[type[Record], ...] = (Harbour, Berth, Holder, Vessel, Contract, TariffLine, GateFob, Reading)
BY_SET: dict[str, type[Record]] = {model.entity_set: model for model in TYPES}
