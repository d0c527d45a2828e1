"""Treatments: steps on a plane that change its picture. One module per treatment."""
