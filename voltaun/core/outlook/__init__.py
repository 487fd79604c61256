"""The days ahead, and how past outlooks did."""
