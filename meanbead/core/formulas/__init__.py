"""formulas"""
