"""geometry"""
