"""The functions and operators of formulas, one file a family. To add one: a class in a file of its own here, entered with
`function.listing`; it is parsed, checked, completed and explained from what it says."""
