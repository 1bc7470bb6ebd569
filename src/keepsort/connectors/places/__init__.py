"""Places off the machine where archives are put: a folder, a host by SFTP, a bucket."""

from keepsort.connectors.places.base import Place, Stored, Taken, Way
from keepsort.connectors.places.opening import open_place

__all__ = ["Place", "Stored", "Taken", "Way", "open_place"]
