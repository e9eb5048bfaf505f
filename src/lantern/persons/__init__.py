"""Who stands behind the names that devices give to people: sealed, looked at by few, erased for good."""
