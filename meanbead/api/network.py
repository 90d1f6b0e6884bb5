"""The workshop's network over HTTP: where phones open the application, and how they come to trust it."""

from __future__ import annotations

import segno
from apiflask import APIBlueprint
from flask import Response, abort

from meanbead.api import access
from meanbead.api.people_schemas import NetworkOut, TrustStep

blueprint = APIBlueprint("network", __name__, url_prefix="/api", tag="Network")

_TRUST = (
    TrustStep(
        device="Android",
        steps=[
            "Download the workshop's certificate below.",
            "Settings, Security (or search the settings for “certificate”), Install a certificate, CA certificate. The phone warns: it is about whoever can read this machine's data folder.",
            "Choose the file. Check that its SHA-256 fingerprint is the one shown at this machine.",
        ],
    ),
    TrustStep(
        device="iPhone and iPad",
        steps=[
            "Download the workshop's certificate below, in Safari, and allow the profile.",
            "Settings, General, VPN & Device Management: install the profile.",
            "Settings, General, About, Certificate Trust Settings: switch the workshop on.",
        ],
    ),
    TrustStep(
        device="A computer",
        steps=[
            "Download the workshop's certificate below.",
            "In the browser's settings search for “certificates”, then import it as an authority for websites.",
        ],
    ),
)


def qr_of(text: str) -> str:
    """A QR code as an image that stands in the page's own address."""
    return str(segno.make(text, error="m", micro=False).png_data_uri(scale=6, border=3))


@blueprint.get("/network")
@blueprint.output(NetworkOut)
def network() -> NetworkOut:
    """Where phones open the application; empty while it is served to this machine only."""
    served = access.access()
    held = served.certificate
    own = held is not None and held.authority is not None
    return NetworkOut(
        urls=list(served.urls),
        qr=qr_of(served.urls[0]) if served.urls else None,
        fingerprint=held.fingerprint if held else "",
        certificate_ends_at=held.ends_at if held else None,
        own_authority=own,
        trust=list(_TRUST) if own else [],
    )


@blueprint.get("/network/authority.crt")
@blueprint.doc(responses={200: "The certificate, PEM"})
def authority() -> Response:
    """The certificate that phones have to trust; it holds no secret."""
    held = access.access().certificate
    if held is None or held.authority is None:
        abort(404, "This workshop has no authority of its own.")
    response = Response(held.authority.read_bytes(), content_type="application/x-x509-ca-cert")
    response.headers["Content-Disposition"] = 'attachment; filename="mean-bead-workshop.crt"'
    return response
