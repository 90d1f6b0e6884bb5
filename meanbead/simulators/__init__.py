"""Simulated devices that ship with the application: they speak as real ones do, slowly and with noise on the line."""
