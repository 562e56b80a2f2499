"""Starting and stopping: MariaDB, migrations, demo data, the application."""
