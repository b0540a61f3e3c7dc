"""The registrar's side: registrations, hosts, DS sets."""
