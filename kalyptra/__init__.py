"""Kalyptra gives flat footage a shallow depth of field, after the shoot."""
