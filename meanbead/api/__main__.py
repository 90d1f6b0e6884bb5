"""``python -m meanbead.api`` prints the OpenAPI document, from which the page's client is generated."""

from __future__ import annotations

import json

from meanbead.api.app import create_app

app = create_app(None)
with app.app_context():
    print(json.dumps(app.spec, indent=1))
