"""A zone's contents by what its servers leave open: transfers, chains of proofs, names asked for one by one."""
