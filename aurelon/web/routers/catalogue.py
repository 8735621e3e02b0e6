"""What there is to choose from."""

from fastapi import APIRouter

from aurelon.core.settings.catalogue import Catalogue, whole_catalogue

router = APIRouter(tags=["catalogue"])


@router.get("/catalogue")
def get_catalogue() -> Catalogue:
    """Kinds of light, their settings, blend modes and file formats."""
    return whole_catalogue()
