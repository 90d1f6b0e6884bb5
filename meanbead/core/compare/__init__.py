"""compare"""
