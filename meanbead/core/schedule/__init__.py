"""schedule"""
