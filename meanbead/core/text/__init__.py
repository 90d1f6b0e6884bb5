"""text"""
