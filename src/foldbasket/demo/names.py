"""Invented names for the demo: sites, plants, firms and people. Nothing here exists."""

SITES: dict[str, tuple[str, ...]] = {
    "Eastfen": ("Alder Yard", "Drift House", "Sluice Lane"),
    "Northmoor": ("Cairn Field", "Peat Row"),
    "Southcliff": ("Chalk Top", "Gull Bank", "Harbour Glass", "Samphire End"),
    "Westholt": ("Hazel Cut", "Owl Ride"),
    "Midmarsh": ("Heron Weir", "Reed Bay", "Withy Side"),
}
REGION_WEIGHT = {"Eastfen": 1.3, "Northmoor": 0.8, "Southcliff": 1.5, "Westholt": 0.6, "Midmarsh": 1.0}

LINES: dict[str, tuple[tuple[str, ...], float, float, tuple[float, ...]]] = {
    # line: families, usual price in euro, share of the price that is cost, weight of each month from January
    "Herbs": (("Thyme", "Sage", "Mint", "Chive"), 2.1, 0.48, (1, 2, 6, 10, 12, 9, 6, 4, 3, 2, 1, 1)),
    "Perennials": (("Salvia", "Hosta", "Geum", "Aster", "Phlox"), 4.6, 0.55, (1, 2, 7, 12, 13, 9, 5, 4, 6, 4, 2, 1)),
    "Shrubs": (("Box", "Hebe", "Spirea", "Weigela"), 9.8, 0.62, (2, 3, 7, 10, 9, 6, 4, 4, 7, 9, 7, 3)),
    "Trees": (("Acer", "Rowan", "Crab apple"), 31.0, 0.68, (6, 6, 8, 6, 4, 2, 2, 2, 4, 8, 11, 9)),
    "Bedding": (("Viola", "Petunia", "Lobelia", "Marigold"), 1.2, 0.71, (1, 2, 6, 16, 22, 14, 5, 3, 5, 6, 2, 1)),
    "Climbers": (("Clematis", "Jasmine", "Hop"), 8.4, 0.58, (1, 2, 6, 10, 11, 8, 6, 5, 5, 3, 2, 1)),
}
POTS: tuple[tuple[str, float], ...] = (
    ("9 cm", 0.7),
    ("1 L", 0.9),
    ("2 L", 1.2),
    ("3 L", 1.6),
    ("5 L", 2.3),
    ("10 L", 3.9),
)
EPITHETS = (
    "Dusk", "Morning Bell", "Fenland Blue", "Little Lantern", "Copper Lace", "Winter Wren", "Tall Tale", "Quiet Rose",
    "Marsh Light", "First Frost", "Old Penny", "Silver Tide", "Amber Gate", "Skylark", "Plum Shadow", "Green Ribbon",
)  # fmt: skip
SEGMENTS = ("Garden centre", "Landscaper", "Council", "Florist", "Estate")
CHANNELS = ("Trade", "Web", "Counter", "Phone")
PROMOTIONS = ("Spring week", "Early order", "End of season")
FIRM_FIRST = (
    "Bramble", "Tollgate", "Heron", "Larkspur", "Foxglove", "Old Mill", "Saffron", "Kestrel", "Willow", "Harrow", "Primrose",
    "Stonecrop", "Juniper", "Meadow", "Orchard", "Rook", "Thistle", "Yarrow", "Bracken", "Cobble", "Damson", "Elder",
)  # fmt: skip
FIRM_LAST = (
    "& Rill", "Gardens", "Nursery", "Landscapes", "Plants", "& Daughters", "Grounds", "Borders", "Green", "Hollow", "Terrace",
    "Court", "Works", "Supplies", "Blooms", "Estate", "Yard", "Parks", "Vale", "Design", "Walks", "Beds", "Barn", "Field",
    "Growers", "Cross", "End", "Lodge",
)  # fmt: skip
PERSON_FIRST = ("Anwen", "Bas", "Corin", "Dilys", "Edda", "Ferris", "Greta", "Hamo", "Ines", "Joris", "Kit", "Lowen")
PERSON_LAST = ("Ashby", "Birk", "Carrow", "Dunmere", "Eskdale", "Fenwick-Lowe", "Garrick", "Holm")
TEAMS = ("North desk", "South desk", "Field sales", "Online")
