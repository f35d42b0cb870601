"""Who does the work: the contract of five verbs, and the crew of this machine."""
