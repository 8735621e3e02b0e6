"""The clusters that may be worked with: named at the start of the program, never by a request."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from aurelon.core import AurelonError, OutputError

ADDRESS = re.compile(r"(tcp|tls)://[\w.\-\[\]:]+:\d{1,5}")
NAME = re.compile(r"[\w .\-]{1,60}")


@dataclass(frozen=True)
class Certificates:
    """Files (PEM) for an encrypted cluster: the authority that signs its certificates, this machine's own, and its key."""

    authority: Path
    certificate: Path
    key: Path

    @classmethod
    def of(cls, authority: Path | None, certificate: Path | None, key: Path | None) -> Certificates | None:
        """None where none is named. Raises AurelonError where some are missing."""
        given = (authority, certificate, key)
        if given == (None, None, None):
            return None
        if authority is None or certificate is None or key is None:
            raise AurelonError("--cluster-ca, --cluster-cert and --cluster-key go together; name all three")
        for path in (authority, certificate, key):
            if not path.is_file():
                raise AurelonError(f"{path} does not exist; --cluster-ca, --cluster-cert and --cluster-key name PEM files")
        return cls(authority.resolve(), certificate.resolve(), key.resolve())


@dataclass(frozen=True)
class ClusterAddress:
    """Where a cluster's scheduler listens, and the certificates that it is spoken to with."""

    address: str
    certificates: Certificates | None = None

    def __post_init__(self) -> None:
        if not ADDRESS.fullmatch(self.address):
            raise AurelonError(f"'{self.address}' is not the address of a cluster; use one such as tcp://HOST:8786")
        if self.certificates is not None and not self.address.startswith("tls://"):
            raise AurelonError(f"{self.address} is not encrypted; name a tls:// address, or leave the certificates out")


@dataclass(frozen=True)
class Clusters:
    """Clusters by the names that the screen shows."""

    named: Mapping[str, ClusterAddress] = field(default_factory=dict)

    @classmethod
    def of(cls, words: Sequence[str], certificates: Certificates | None) -> Clusters:
        """From words of the command line such as `studio=tcp://10.0.0.1:8786`. Raises AurelonError for others."""
        named: dict[str, ClusterAddress] = {}
        for word in words:
            name, _, address = word.partition("=")
            if not address or not NAME.fullmatch(name):
                raise AurelonError(f"'{word}' does not name a cluster; use a name and an address, such as studio=tcp://HOST:8786")
            if name in named:
                raise AurelonError(f"two clusters are named '{name}'; give each a name of its own")
            named[name] = ClusterAddress(address, certificates if address.startswith("tls://") else None)
        return cls(named)

    def get(self, name: str) -> ClusterAddress | None:
        """The cluster of that name; None for "", which is this machine. Raises OutputError where there is no such cluster."""
        if not name:
            return None
        found = self.named.get(name)
        if found is None:
            raise OutputError(
                f"the service knows no cluster '{name}'; start it with --cluster NAME=ADDRESS, or run on this machine"
            )
        return found
