"""The pages view: what prints, page by page, with its card."""
