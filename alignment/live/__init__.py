"""Numbers that come by themselves, many a second: what they measure, when one has settled, and how far there is to go."""
