"""Opened to the house: who may come in over the cabin's own network, and from where."""
