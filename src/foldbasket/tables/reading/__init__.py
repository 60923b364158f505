"""Readers: one file a format, all under the contract in `contract`; `readers` is the list of them."""
