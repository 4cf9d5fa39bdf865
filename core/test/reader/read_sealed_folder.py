"""A plain, slow reader of sealed folders, written from docs/FORMAT.md alone and used only by tests.

Usage: read_sealed_folder.py FOLDER < secrets    (first line: "password TEXT" or "code TEXT"; second: the folder's own password, if it has one)
Prints one JSON object: the ordinary path and every entry with its metadata and, for files, the SHA-256 of its content.
Section numbers below are those of docs/FORMAT.md.
"""
import base64
import hashlib
import hmac
import json
import os
import struct
import sys
import unicodedata

from argon2.low_level import Type, hash_secret_raw
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey, X25519PublicKey
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

CHUNK = 65536
TAG = 16
ALPHABET = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"


def b64(text):
    return base64.urlsafe_b64decode(text + "=" * (-len(text) % 4))


def hkdf_extract(salt, key):
    return hmac.new(salt or bytes(32), key, hashlib.sha256).digest()


def hkdf_expand(prk, info, length):
    out, block, counter = b"", b"", 1
    while len(out) < length:
        block = hmac.new(prk, block + info + bytes([counter]), hashlib.sha256).digest()
        out, counter = out + block, counter + 1
    return out[:length]


def hkdf(key, salt, info, length=32):
    return hkdf_expand(hkdf_extract(salt, key), info.encode(), length)


def canonical(value):  # 2.4
    return json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()


def record(path, form):  # 2.4
    with open(path, encoding="utf-8") as file:
        value = json.load(file)
    checksum = value.pop("checksum")
    assert checksum == hashlib.sha256(canonical(value)).hexdigest()[:16], "checksum of " + path
    assert value["format"] == form and value["version"] == 1
    return value


def open_box(key, purpose, box):  # 2.2
    derived = hkdf(key, box[:32], "eremos/1/box/" + purpose, 64)
    assert derived[32:] == box[32:64], "another key"
    return AESGCM(derived[:32]).decrypt(bytes(12), box[64:], None)


def open_envelope(private, purpose, envelope):  # 2.3, RFC 9180 base mode
    enc, info = b64(envelope["enc"]), ("eremos/1/envelope/" + purpose).encode()
    key = X25519PrivateKey.from_private_bytes(private)
    public = key.public_key().public_bytes(Encoding.Raw, PublicFormat.Raw)
    kem, suite = b"KEM" + struct.pack(">H", 0x20), b"HPKE" + struct.pack(">HHH", 0x20, 1, 2)

    def extract(suite_id, salt, label, ikm):
        return hkdf_extract(salt, b"HPKE-v1" + suite_id + label + ikm)

    def expand(suite_id, prk, label, context, length):
        return hkdf_expand(prk, struct.pack(">H", length) + b"HPKE-v1" + suite_id + label + context, length)

    shared = key.exchange(X25519PublicKey.from_public_bytes(enc))
    secret = expand(kem, extract(kem, b"", b"eae_prk", shared), b"shared_secret", enc + public, 32)
    context = b"\0" + extract(suite, b"", b"psk_id_hash", b"") + extract(suite, b"", b"info_hash", info)
    scheduled = extract(suite, secret, b"secret", b"")
    return AESGCM(expand(suite, scheduled, b"key", context, 32)).decrypt(expand(suite, scheduled, b"base_nonce", context, 12), b64(envelope["ct"]), b"")


def password_key(hashing, password):  # 3.1
    _, kind, version, costs, salt = hashing.split("$")
    assert (kind, version) == ("argon2id", "v=19")
    memory, passes, lanes = (int(part[2:]) for part in costs.split(","))
    assert memory <= 262144 and passes <= 16 and lanes <= 8
    return hash_secret_raw(unicodedata.normalize("NFC", password).encode(), base64.b64decode(salt + "=" * (-len(salt) % 4)), passes, memory, lanes, 32, Type.ID, 0x13)


def root_from_password(owner, password):  # 3.2
    key = password_key(owner["password"]["hashing"], password)
    return open_box(key, "owner/%s/password" % owner["owner"], b64(owner["password"]["root"]))


def check_owner(owner, root):  # 3
    body = {name: value for name, value in owner.items() if name != "mac"}
    assert hmac.new(hkdf(root, owner["owner"].encode(), "eremos/1/owner"), canonical(body), hashlib.sha256).digest() == b64(owner["mac"]), "the owner record was changed"


def code_key(owner, code):  # 3.3
    bits = 0
    for number, group in enumerate(code.strip().split("-")):
        total = 0
        for character in group:
            total = (total << 1 ^ (0b100101 if total & 16 else 0)) ^ ALPHABET.index(character)
        assert total == number, "group %d is mistyped" % (number + 1)
        for character in group[:4]:
            bits = bits << 5 | ALPHABET.index(character)
    return hkdf(bits.to_bytes(20, "big"), owner["owner"].encode(), "eremos/1/recovery-code")


def root_from_code(owner, code):  # 3.2
    private = open_box(code_key(owner, code), "owner/%s/recovery" % owner["owner"], b64(owner["recovery"]["privateKey"]))
    return open_envelope(private, "owner/%s/root" % owner["owner"], owner["recovery"]["root"])


def folder_key(header, root, code, password):  # 4
    owner, folder = header["owner"], header["folder"]
    purpose = "folder/%s/owner-slot" % folder
    for slot in header["slots"]:
        body = {name: value for name, value in slot.items() if name != "checksum"}
        assert slot["checksum"] == hashlib.sha256(canonical(body)).hexdigest()[:16]
        if slot["type"] == "owner":
            key = open_box(root, purpose, b64(slot["box"]))
        elif slot["type"] == "owner-and-password":
            if code is not None:
                continue
            both = root + password_key(slot["hashing"], password)
            key = open_box(hkdf(both, b64(folder), "eremos/1/folder-password"), "folder/%s/password-slot" % folder, b64(slot["box"]))
        elif slot["type"] == "keyholders":  # 4.1, opened with shares
            continue
        elif slot["type"] == "recovery":
            private = open_box(code_key(owner, code), "owner/%s/recovery" % owner["owner"], b64(slot["privateKey"]))
            key = open_envelope(private, "folder/%s/recovery-slot" % folder, slot)
        else:
            key = open_envelope(open_box(root, "owner/%s/sealing" % owner["owner"], b64(owner["sealing"]["privateKey"])), purpose, slot)
        body = {name: value for name, value in header.items() if name not in ("mac", "owner")}
        mac = hmac.new(hkdf(key, b64(folder), "eremos/1/header"), canonical(body), hashlib.sha256).digest()
        assert mac == b64(header["mac"]), "the header was changed"
        return key


def check_standing(header, root, key):  # 4.2
    proof = hmac.new(hkdf(root, b64(header["folder"]), "eremos/1/folder-proof"), key, hashlib.sha256).digest()
    if "proof" in header and b64(header["proof"]) == proof:
        return
    assert header.get("device") in header["owner"]["devices"], "locked by somebody unknown"
    body = canonical({name: value for name, value in header.items() if name not in ("mac", "owner", "proof", "signature")})
    Ed25519PublicKey.from_public_bytes(b64(header["device"])).verify(b64(header["signature"]), b"eremos/1/header\n" + body)


def check_voucher(generation, header, key):  # 6.3
    body = canonical({name: value for name, value in generation.items() if name not in ("vouch", "signature")})
    if "vouch" in generation:
        expected = hmac.new(hkdf(key, b64(header["folder"]), "eremos/1/generation"), body, hashlib.sha256).digest()
        assert expected == b64(generation["vouch"]), "the generation was changed"
        return
    assert generation["device"] in header["owner"]["devices"], "made by a device nobody knows"
    Ed25519PublicKey.from_public_bytes(b64(generation["device"])).verify(b64(generation["signature"]), b"eremos/1/generation\n" + body)


class Object:  # 5
    def __init__(self, path, kind, header, secrets):
        with open(path, "rb") as file:
            data = file.read()
        head, self.body = data[:104], data[104:]
        assert head[:8] == b"EREMOSO1" and head[8] == {"pack": 1, "index": 2}[kind] and head[9] == 16
        assert head[16:32] == b64(header["folder"]) and head[32:48].hex() == os.path.basename(path)
        secret = secrets[head[48:64]]
        purpose = hkdf(secret, b64(header["folder"]), "eremos/1/" + kind)
        self.key = hmac.new(purpose, head, hashlib.sha256).digest()
        self.chunks = [self.body[at:at + CHUNK + TAG] for at in range(0, len(self.body), CHUNK + TAG)]
        self.digest = hashlib.sha256(head + b"".join(chunk[-TAG:] for chunk in self.chunks)).digest()

    def plaintext(self):
        last = len(self.chunks) - 1
        cipher = AESGCM(self.key)
        return b"".join(cipher.decrypt(struct.pack("<QB3x", number, number == last), chunk, None) for number, chunk in enumerate(self.chunks))


class Cursor:
    def __init__(self, data, at):
        self.data, self.at = data, at

    def take(self, form):
        values = struct.unpack_from("<" + form, self.data, self.at)
        self.at += struct.calcsize("<" + form)
        return values[0] if len(values) == 1 else values

    def bytes(self, length):
        self.at += length
        return self.data[self.at - length:self.at]


def read_entry(cursor):  # 5.4
    kind, flags, length = cursor.take("BBH")
    entry = {"kind": kind, "name": cursor.bytes(length)}
    entry["mode"], entry["uid"], entry["gid"], entry["mtime"], entry["atime"] = cursor.take("HIIqq")
    if kind == 1:
        entry["listing"] = cursor.take("QQ")
    elif kind == 2:
        entry["size"], entry["group"], entry["pack"], entry["offset"], entry["length"] = cursor.take("QIIQQ")
        if flags & 2:
            entry["extents"] = [cursor.take("QQ") for _ in range(cursor.take("I"))]
    else:
        entry["target"] = cursor.bytes(cursor.take("H"))
    if flags & 1:
        entry["xattrs"] = {cursor.bytes(cursor.take("H")).decode("latin1"): cursor.bytes(cursor.take("I")).hex() for _ in range(cursor.take("H"))}
    return entry


def content(entry, packs):
    if entry["pack"] == 0xFFFFFFFF:
        data = b""
    else:
        data = packs[entry["pack"]][entry["offset"]:entry["offset"] + entry["length"]]
    if "extents" not in entry:
        return data.ljust(entry["size"], b"\0")
    whole, at = bytearray(entry["size"]), 0
    for offset, length in entry["extents"]:
        whole[offset:offset + length] = data[at:at + length]
        at += length
    return bytes(whole)


def main():
    folder = sys.argv[1]
    vault = os.path.join(folder, ".eremos")
    kind, secret = sys.stdin.readline().rstrip("\n").split(" ", 1)
    password = sys.stdin.readline().rstrip("\n")
    header = record(os.path.join(vault, "header.json"), "eremos-folder")
    root = root_from_password(header["owner"], secret) if kind == "password" else root_from_code(header["owner"], secret)
    check_owner(header["owner"], root)
    key = folder_key(header, root, secret if kind == "code" else None, password)
    check_standing(header, root, key)
    secrets = {bytes(16): key}
    names = {"folder": key}
    for name in os.listdir(os.path.join(vault, "keys")) if os.path.isdir(os.path.join(vault, "keys")) else []:  # 6.2
        found = record(os.path.join(vault, "keys", name), "eremos-key")
        purpose = "folder/%s/generation-key/%s" % (header["folder"], found["key"])
        private = open_box(key, "folder/%s/private-key" % header["folder"], b64(header["privateKey"]))
        names[found["key"]] = secrets[b64(found["key"])] = open_box(key, purpose, b64(found["box"])) if "box" in found else open_envelope(private, purpose, found["sealed"])
    state = record(os.path.join(vault, "state.json"), "eremos-state")
    generation = record(os.path.join(vault, "generations", "%010d.json" % state["generation"]), "eremos-generation")
    check_voucher(generation, header, key)
    index = Object(os.path.join(vault, "index", b64(generation["index"]["object"]).hex()), "index", header, secrets)
    assert index.digest == b64(generation["index"]["digest"])
    plain = index.plaintext()
    assert len(plain) == generation["index"]["length"]

    cursor = Cursor(plain, generation["index"]["record"]["offset"])
    top = read_entry(cursor)
    count, at, files, size = cursor.take("IQQQ")
    packs = []
    for number in range(count):
        table = Cursor(plain, at + 80 * number)
        identity, _, _, length, digest = table.bytes(16), table.bytes(16), table.take("Q"), table.take("Q"), table.bytes(32)
        pack = Object(os.path.join(vault, "packs", identity.hex()[:2], identity.hex()), "pack", header, secrets)
        assert pack.digest == digest
        packs.append(pack.plaintext())
        assert len(packs[-1]) == length

    entries = {}

    def walk(entry, path):
        shown = {name: entry[name] for name in ("mode", "uid", "gid")}
        shown.update(mtime=str(entry["mtime"]), xattrs=entry.get("xattrs", {}))
        if entry["kind"] == 2:
            shown.update(size=entry["size"], group=entry["group"], sha256=hashlib.sha256(content(entry, packs)).hexdigest())
        if entry["kind"] == 3:
            shown["target"] = entry["target"].hex()
        entries[path.hex()] = shown
        if entry["kind"] == 1:
            start, _ = entry["listing"]
            for number in range(struct.unpack_from("<I", plain, start)[0]):
                child = read_entry(Cursor(plain, start + struct.unpack_from("<I", plain, start + 8 + 4 * number)[0]))
                walk(child, path + b"/" + child["name"])

    walk(top, b"")
    place = open_box(names[generation["key"]], "folder/%s/place" % header["folder"], b64(generation["place"]))
    print(json.dumps({"place": place.hex(), "files": files, "bytes": size, "entries": entries}))


main()
