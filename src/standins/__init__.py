"""Small stand-ins for devices and services outside: separate applications on loopback, spoken to by open standards.

None of them knows the product, and the product knows none of them: a real one takes its seat by a changed address.
"""
