"""What turns about what: round ends of limbs, parents, and what opens or juts out when a part swings."""
