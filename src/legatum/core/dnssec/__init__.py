"""DNSSEC arithmetic (RFC 4033-4035, 5155): keys and their tags, DS digests, signatures, proofs that something does not
exist."""
