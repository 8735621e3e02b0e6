"""What there is to choose from."""

from fastapi import APIRouter

from aurelon.core.catalogue.catalogue import whole_catalogue
from aurelon.core.catalogue.colours import colours_info
from aurelon.core.catalogue.entries import Catalogue

router = APIRouter(tags=["catalogue"])


@router.get("/catalogue")
def get_catalogue() -> Catalogue:
    """Kinds of light, their settings, blend modes and file formats."""
    return whole_catalogue().model_copy(update={"colours": colours_info()})
