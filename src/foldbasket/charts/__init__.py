"""Charts: from a report to series and axes, and their drawing by matplotlib, which is imported only when one is drawn."""
