"""Names, joins' placing, checks: what turns pieces into a file that can be handed over."""
