"""Seeded data: the same records each time, all invented."""

from __future__ import annotations

import random
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any

from django.db import transaction

from . import models as m

HARBOURS = [
    ("NORTHHAVEN", "Northhaven", "North Reach", 812),
    ("GULLPOINT", "Gull Point", "North Reach", 640),
    ("OLDBASIN", "Old Basin", "Town", 918),
    ("EELGRASS", "Eelgrass Quay", "South Flats", 790),
    ("TERNISLAND", "Tern Island", "Outer Isles", 706),
]
FIRST = [
    "Ada",
    "Bram",
    "Ines",
    "Oskar",
    "Petra",
    "Dunlin",
    "Yoric",
    "Knot",
    "Rhona",
    "Milo",
    "Tansy",
    "Wren",
    "Corin",
    "Selkie",
    "Jory",
    "Maris",
    "Thora",
    "Kester",
    "Linnet",
    "Osric",
    "Perran",
    "Sorrel",
    "Teasel",
    "Ulla",
    "Varn",
    "Wilmot",
    "Yarrow",
    "Zinnia",
    "Avocet",
    "Bryony",
    "Calder",
    "Dulse",
    "Ebba",
    "Fenn",
    "Garnet",
    "Hesper",
    "Ivo",
    "Juniper",
    "Kelda",
    "Lowen",
]
LAST_A = [
    "Quill",
    "Tide",
    "Gull",
    "Marsh",
    "Salt",
    "Fen",
    "Reed",
    "Shingle",
    "Kelp",
    "Wrack",
    "Brine",
    "Cockle",
    "Mussel",
    "Samphire",
    "Heron",
    "Plover",
    "Curlew",
    "Sedge",
    "Otter",
    "Dune",
    "Skerry",
    "Fathom",
    "Ketch",
    "Yawl",
    "Sloop",
    "Tern",
    "Eider",
    "Petrel",
]
LAST_B = ["feather", "well", "combe", "wick", "stow", "ford", "brook", "mere"]
VESSELS = "Saltwind Marigold Sandpiper Low Tide|Grey Seal|Half Moon|Long Reach|Kittiwake|Driftwood|Evensong".replace(
    "Saltwind Marigold Sandpiper ", "Saltwind|Marigold|Sandpiper|"
).split("|")
BANDS = [f"{low}-{low + 2}" for low in range(5, 23, 2)]
RATES = {6: "22.50", 8: "26.00", 9: "31.00", 10: "34.50", 12: "38.50", 14: "44.00", 16: "52.50", 18: "61.00"}
FIRST_BERTH, FIRST_HOLDER_NO, ADA = 700_000, 18_000, 1_209


class _Seeder:
    def __init__(self, alias: str) -> None:
        self.alias = alias
        self.random = random.Random(16_11)
        self.stamp = {
            "version": 1,
            "changed_by": "Register office",
            "changed_at": datetime(2026, 11, 2, 8, 0, tzinfo=UTC),
        }

    def save(self, records: list[Any]) -> None:
        type(records[0])._default_manager.using(self.alias).bulk_create(records, batch_size=500)

    def holders(self) -> None:
        names = [(first, a + b) for first in FIRST for a in LAST_A for b in LAST_B]
        self.random.shuffle(names)
        names[ADA] = ("Ada", "Quillfeather")
        names[ADA + 1] = ("Bram", "Tidewell")
        names[ADA + 2] = ("Ines", "Gullane-Marsh")
        records = []
        for i, (first, last) in enumerate(names[:2300]):
            records.append(
                m.Holder(
                    id=400_000 + i,
                    holder_no=f"{FIRST_HOLDER_NO + 2 * i:07d}",
                    first_name=first,
                    last_name=last,
                    email=f"{first}.{last}.{i}@example.org".lower() if i % 9 else None,
                    phone=f"+44 1632 960{self.random.randrange(1000):03d}" if i % 7 else "",
                    joined_on=date(2008, 1, 1) + timedelta(days=self.random.randrange(6500)),
                    **self.stamp,
                )
            )
        self.save(records)

    def berths(self) -> None:
        records: list[m.Berth] = []
        services = [code for code, _ in m.SERVICES]
        holder = iter(self.random.sample(range(2300), 2300))
        for code, _, _, count in HARBOURS:
            letters = "ABCDEFGHJK"
            size = -(-count // len(letters))
            for i in range(count):
                identifier = FIRST_BERTH + len(records)
                letter, number = letters[i // size], i % size + 1
                metres = self.random.choice([6, 8, 9, 10, 12, 12, 12, 14, 16, 18])
                status = self.random.choices(["free", "let", "closed", "retired"], [30, 58, 7, 5])[0]
                owner = next(holder, None) if status == "let" else None
                if status == "let" and owner is None:
                    status = "free"
                flat = self.random.random() < 0.08
                count_of = self.random.choice([0, 1, 2, 2, 2, 3])
                chosen = {"water", "power"} if count_of == 2 else set(self.random.sample(services, count_of))
                records.append(
                    m.Berth(
                        id=identifier,
                        harbour_id=code,
                        berth_no=f"{letter}-{number:03d}",
                        ring_no=f"R{identifier - FIRST_BERTH + 100:05d}" if self.random.random() < 0.7 else None,
                        pontoon_id=None if number == 1 else identifier - number + 1,
                        length_m=Decimal(metres),
                        depth_m=Decimal(self.random.randrange(120, 480)).scaleb(-2),
                        daily_rate=None if flat else Decimal(RATES[metres]),
                        flat_season_rate=Decimal(metres * 210) if flat else None,
                        services=[s for s in services if s in chosen],
                        status=status,
                        holder_id=None if owner is None else 400_000 + owner,
                        insured_until=date(2026, 12, 31) + timedelta(days=90 * self.random.randrange(4))
                        if owner is not None
                        else None,
                        notes="Mind the old chain at low water." if self.random.random() < 0.04 else "",
                        balance_due=Decimal(self.random.choice([0, 0, 0, 21000, 5510, 91840])).scaleb(-2),
                        occupancy_last_year=Decimal(self.random.randrange(0, 1001)).scaleb(-1),
                        **self.stamp,
                    )
                )
        self.save(records)
        self.made = records

    def vessels(self) -> None:
        papers = [code for code, _ in m.PAPERS]
        homes = [berth for berth in self.made if berth.holder_id]
        records = []
        for i in range(2611):
            home = homes[i] if i < len(homes) else None
            chosen = set(self.random.sample(papers, self.random.randrange(0, 5)))
            records.append(
                m.Vessel(
                    id=500_000 + i,
                    registration=f"SM-{i + 1:05d}",
                    name=f"{VESSELS[i % len(VESSELS)]} {i // len(VESSELS) + 1}",
                    length_m=home.length_m - 1 if home else Decimal("7.5"),
                    draft_m=Decimal(self.random.randrange(60, 260)).scaleb(-2),
                    owner_id=home.holder_id if home else 400_000 + self.random.randrange(2300),
                    home_berth_id=home.pk if home else None,
                    insurance_no=f"{4_021_000_000_000_000 + i * 7_919_003:016d}",
                    insured_until=date(2026, 12, 31) + timedelta(days=30 * self.random.randrange(12)),
                    papers=[p for p in papers if p in chosen],
                    storm_class="B" if i % 40 == 0 else None,
                    **self.stamp,
                )
            )
        self.save(records)

    def contracts(self) -> None:
        let = [berth for berth in self.made if berth.holder_id]
        plan = [(berth, date(2026, 4, 1), date(2027, 3, 31)) for berth in let]
        plan += [(berth, date(2025, 4, 1), date(2026, 3, 31)) for berth in let]
        free = [berth for berth in self.made if berth.status == "free"]
        visits = iter(range(10**6))
        while len(plan) < 5140:
            n = next(visits)
            start = date(2026, 5, 1) + timedelta(days=14 * (n // len(free)))
            plan.append((free[n % len(free)], start, start + timedelta(days=3)))
        records = []
        for i, (berth, start, end) in enumerate(plan[:5140]):
            visit = (end - start).days < 30
            records.append(
                m.Contract(
                    id=800_000 + i,
                    contract_no=f"C{start.year}-{i + 1:05d}",
                    kind="visitor" if visit else "seasonal",
                    berth_id=berth.pk,
                    holder_id=berth.holder_id or 400_000 + self.random.randrange(2300),
                    start=start,
                    end=end,
                    amount=Decimal(self.random.randrange(8_000, 900_000)).scaleb(-2),
                    currency="EUR",
                    nights=3 if visit else None,
                    **self.stamp,
                )
            )
        self.save(records)
        counts: dict[int, int] = {}
        for record in records:
            if record.end >= date(2026, 11, 16):
                counts[record.holder_id] = counts.get(record.holder_id, 0) + 1
        holders = list(m.Holder.objects.using(self.alias).filter(pk__in=list(counts)[:500]))
        for start_at in range(0, len(counts), 500):
            holders = list(m.Holder.objects.using(self.alias).filter(pk__in=list(counts)[start_at : start_at + 500]))
            for holder in holders:
                holder.open_contracts = counts[holder.pk]
            m.Holder.objects.using(self.alias).bulk_update(holders, ["open_contracts"], batch_size=250)

    def small(self) -> None:
        self.save(
            [
                m.TariffLine(
                    id=600_000 + i,
                    season=season,
                    length_band=band,
                    harbour_id=code,
                    amount=Decimal(20_0000 + 1_2500 * i % 90_0000).scaleb(-4),
                    **self.stamp,
                )
                for i, (season, band, code) in enumerate(
                    (s, b, h[0]) for s, _ in m.SEASONS for b in BANDS for h in HARBOURS
                )
            ]
        )
        self.save(
            [
                m.GateFob(
                    id=900_000 + i,
                    fob_no=f"F{i + 1:05d}",
                    print_no=f"{7_700_000_000_000_000 + i * 104_729:016d}",
                    holder_id=None if i < 5 else 400_000 + self.random.randrange(2300),
                    harbour_id=HARBOURS[i % 5][0],
                    master=i < 5,
                    blocked=i >= 5 and self.random.random() < 0.03,
                    last_used=datetime(2026, 11, 1, tzinfo=UTC) + timedelta(minutes=self.random.randrange(20_000)),
                    **self.stamp,
                )
                for i in range(1900)
            ]
        )

    def readings(self) -> None:
        start = datetime(2026, 10, 1, tzinfo=UTC)
        made: list[m.Reading] = []
        for i in range(201_344):
            made.append(
                m.Reading(
                    id=1_000_000 + i,
                    meter=f"M{i % 286 + 1:04d}",
                    read_at=start + timedelta(hours=i // 286),
                    kwh=Decimal(i * 37 % 9000).scaleb(-3),
                    **self.stamp,
                )
            )
        self.save(made)


def seed(alias: str) -> None:
    """Fill an empty set with everything but the readings."""
    with transaction.atomic(using=alias):
        work = _Seeder(alias)
        work.save([m.Harbour(code=c, name=n, region=r, **work.stamp) for c, n, r, _ in HARBOURS])
        work.holders()
        work.berths()
        work.vessels()
        work.contracts()
        work.small()


def seed_readings(alias: str) -> None:
    """Fill in the 201,344 shore-power readings, where there are none."""
    if not m.Reading.objects.using(alias).exists():
        with transaction.atomic(using=alias):
            _Seeder(alias).readings()
