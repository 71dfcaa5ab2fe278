"""Beginnings: a vehicle and its parts from what a tape gives in the first hour, the rest assumed and marked so."""
