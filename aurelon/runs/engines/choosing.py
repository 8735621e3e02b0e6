"""Which engine makes the pictures of a run."""

from __future__ import annotations

from aurelon.runs.engines import Engine
from aurelon.runs.engines.clusters import ClusterAddress
from aurelon.runs.room import Room


def engine_for(cluster: ClusterAddress | None, room: Room) -> Engine:
    """A cluster, or where none is named processes here. Raises AurelonError where it cannot be used."""
    if cluster is not None:
        from aurelon.runs.engines.cluster import Cluster

        return Cluster(cluster)
    from aurelon.runs.engines.processes import Processes

    return Processes(room)
