"""What stands between the server and the routes: bodies, fairness, uploads in parts, and what tells of its health."""
