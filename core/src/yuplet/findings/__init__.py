"""What an artist should look at before handing over: trouble in the parts, and what could be simpler."""
