"""What is stored so that only its key opens it: AES-GCM, a nonce each, bound to the row that it stands in."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from uuid import UUID

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from lantern.core.faults import LanternError

NONCE_BYTES = 12  # NIST SP 800-38D, 5.2.1.1


class SealError(LanternError):
    """What is sealed cannot be opened: another key, another row, or other bytes."""


@dataclass(frozen=True)
class Sealed:
    """`key_id`: of the data key by which it was sealed."""

    key_id: UUID
    nonce: bytes
    data: bytes


def sealed(row_id: UUID, plain: bytes, key_id: UUID, key: bytes) -> Sealed:
    """Return bytes as they stand in the row of that id, and nowhere else."""
    nonce = secrets.token_bytes(NONCE_BYTES)
    return Sealed(key_id, nonce, AESGCM(key).encrypt(nonce, plain, row_id.bytes))


def opened(row_id: UUID, held: Sealed, key: bytes) -> bytes:
    """Return what was sealed. Raises `SealError`."""
    try:
        return AESGCM(key).decrypt(held.nonce, held.data, row_id.bytes)
    except InvalidTag as error:
        raise SealError(f"row {row_id} does not open with its key: it was changed, or is another row's") from error
