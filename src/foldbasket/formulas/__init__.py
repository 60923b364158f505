"""The expression language of formulas: parse, check types, evaluate. It is the expression part of ISO/IEC 9075 (SQL)."""
