"""What is worth a second look in a report, and what could be done about it. A kind of notice is a module of this package."""
