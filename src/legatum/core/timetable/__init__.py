"""How long will it take? What resolvers may keep of a domain, until when, and why; when to lower TTLs for a change;
what they cost.

From what every server gives now (docs/timing.md, rules 1 to 4, 7, 9, 10, 14 and 15). Nothing here asks anybody.
"""
