"""The demo: Quillmoor Growers, an invented grower and wholesaler of garden plants, made from a fixed seed."""
