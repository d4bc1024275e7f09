"""Store: tables, queries, migrations, blobs, and our own MariaDB server."""
