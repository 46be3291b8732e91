"""Parking: where a vehicle can stand in a bay for one or more procedures, and how its marks are found on the floor."""
