"""Which pixels an artist means: from the numbers of a gesture to a mask."""
