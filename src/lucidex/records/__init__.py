"""Tables (SQLAlchemy on MariaDB), and the store of files."""
