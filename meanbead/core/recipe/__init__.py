"""recipe"""
