"""The application over HTTP: parse, call core or store, answer."""

from meanbead.api.app import create_app

__all__ = ["create_app"]
