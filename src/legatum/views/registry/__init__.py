"""The registrar's side: registrations, hosts, DS records, and what somebody types into a registrar's form."""
