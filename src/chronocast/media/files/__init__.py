"""Files written and read back: joins, sound, proofs."""
