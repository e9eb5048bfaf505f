"""Keys outside the database, and what they seal: nobody else opens it, and once a key is destroyed nobody does."""

from __future__ import annotations

import stat
from pathlib import Path
from uuid import UUID, uuid4

import pytest
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from lantern.persons.keys import KeyStore
from lantern.persons.sealing import SealError, opened, sealed


def everything_in(folder: Path) -> bytes:
    return b"".join(path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file())


def test_keys_come_back_and_lie_where_only_their_owner_reads(tmp_path: Path) -> None:
    store = KeyStore(tmp_path / "keys")
    made = dict(store.made(3))
    assert len({*made.values()}) == 3
    assert {len(key) for key in made.values()} == {32}
    assert KeyStore(tmp_path / "keys").of([*made, uuid4()]) == made
    assert stat.S_IMODE((tmp_path / "keys").stat().st_mode) == 0o700
    assert {stat.S_IMODE(path.stat().st_mode) for path in (tmp_path / "keys").iterdir()} == {0o600}


def test_more_keys_than_one_question_may_ask_for(tmp_path: Path) -> None:
    store = KeyStore(tmp_path)
    made = dict(store.made(1203))
    assert store.of(made) == made


def test_a_destroyed_key_stands_in_no_file_any_more(tmp_path: Path) -> None:
    store = KeyStore(tmp_path)
    (gone, key), (kept, other) = store.made(2)
    assert key in everything_in(tmp_path)
    store.destroy([gone])
    assert store.of([gone, kept]) == {kept: other}
    assert key not in everything_in(tmp_path)
    assert other in everything_in(tmp_path)


def test_the_journal_of_the_erased_is_kept_beside_the_keys(tmp_path: Path) -> None:
    person = uuid4()
    KeyStore(tmp_path).note_erased(person)
    KeyStore(tmp_path).note_erased(person)
    assert KeyStore(tmp_path).erased() == {person}


def test_what_is_sealed_is_aes_gcm_bound_to_its_row() -> None:
    row, key_id, key, plain = uuid4(), uuid4(), bytes(range(32)), b"who it is"
    held = sealed(row, plain, key_id, key)
    assert held.key_id == key_id
    assert len(held.nonce) == 12  # 96 bits, as NIST SP 800-38D recommends
    assert len(held.data) == len(plain) + 16  # with its tag
    assert plain not in held.data
    # by the library alone: nonce, tag at the end, the row's id as associated data
    assert AESGCM(key).decrypt(held.nonce, held.data, row.bytes) == plain
    assert opened(row, held, key) == plain
    assert sealed(row, plain, key_id, key).nonce != held.nonce


@pytest.mark.parametrize("change", ["row", "key", "byte", "cut"])
def test_anything_else_does_not_open_it(change: str) -> None:
    row, key = UUID(int=7), bytes(32)
    held = sealed(row, b"who it is", uuid4(), key)
    data = bytearray(held.data)
    data[2] ^= change == "byte"
    other = type(held)(held.key_id, held.nonce, bytes(data[:-1] if change == "cut" else data))
    with pytest.raises(SealError):
        opened(UUID(int=8) if change == "row" else row, other, bytes(31) + b"\1" if change == "key" else key)
