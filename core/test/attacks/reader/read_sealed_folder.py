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
import re
import struct
import sys
import unicodedata

from argon2.low_level import Type, hash_secret_raw
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey
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


def digest(data):
    return hashlib.sha256(data).hexdigest()


def twin(path):  # 2.5
    return path[:-5] + ".twin.json" if path.endswith(".json") else path + ".twin"


def parse(data, form):  # 2.4
    value = json.loads(data)
    assert canonical(value) + b"\n" == data, "not written the one way"
    checksum = value.pop("checksum")
    assert checksum == digest(canonical(value))[:16], "checksum"
    assert value["format"] == form and value["version"] == 2
    known(value)
    return value


def known(value):  # 2.4
    assert value["critical"] == [], "needs a newer reader: " + ", ".join(value["critical"])


def record(path, form):  # 2.5: the first of the two that is whole
    failure = AssertionError("missing: " + path)
    for one in (path, twin(path)):
        try:
            with open(one, "rb") as file:
                return parse(file.read(), form)
        except (OSError, AssertionError, ValueError) as error:
            failure = error
    raise failure


def named(own_dir, directory, name, form):  # 4.1: by what the header says it is
    for one in (name + ".json", name + ".twin.json"):
        path = os.path.join(own_dir, directory, one)
        if os.path.isfile(path):
            with open(path, "rb") as file:
                data = file.read()
            if digest(data) == name:
                return parse(data, form)
    return None


def open_box(key, purpose, box):  # 2.2
    derived = hkdf(key, box[:32], "eremos/2/box/" + purpose, 64)
    assert derived[32:] == box[32:64], "another key"
    return AESGCM(derived[:32]).decrypt(bytes(12), box[64:], None)


def open_envelope(private, purpose, envelope):  # 2.3, RFC 9180 base mode
    enc, info = b64(envelope["enc"]), ("eremos/2/envelope/" + purpose).encode()
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


def signed(key, domain, value, without, signature):
    body = canonical({name: member for name, member in value.items() if name not in without})
    Ed25519PublicKey.from_public_bytes(key).verify(b64(signature), domain.encode() + b"\n" + body)


def check_owner(owner, root):  # 3
    known(owner)
    seed = open_box(root, "owner/%s/signing" % owner["owner"], b64(owner["signing"]["privateKey"]))
    public = Ed25519PrivateKey.from_private_bytes(seed).public_key().public_bytes(Encoding.Raw, PublicFormat.Raw)
    assert public == b64(owner["signing"]["publicKey"]), "the owner record was changed"
    signed(public, "eremos/2/owner", owner, ("signature",), owner["signature"])


def code_key(owner, code):  # 3.3
    bits = 0
    for number, group in enumerate(code.strip().split("-")):
        total = 0
        for character in group:
            total = (total << 1 ^ (0b100101 if total & 16 else 0)) ^ ALPHABET.index(character)
        assert total == number, "group %d is mistyped" % (number + 1)
        for character in group[:4]:
            bits = bits << 5 | ALPHABET.index(character)
    return hkdf(bits.to_bytes(20, "big"), owner["owner"].encode(), "eremos/2/recovery-code")


def root_from_code(owner, code):  # 3.2
    private = open_box(code_key(owner, code), "owner/%s/recovery" % owner["owner"], b64(owner["recovery"]["privateKey"]))
    return open_envelope(private, "owner/%s/root" % owner["owner"], owner["recovery"]["root"])


def slot_key(slot, secret):  # 4.2
    purpose = "slot/%s/%s/%s" % (slot["folder"], slot["id"], slot["kind"])
    return by_pair(slot, open_box(secret, purpose, b64(slot["privateKey"])))


def by_pair(slot, private):
    purpose = "slot/%s/%s/%s/key/%d" % (slot["folder"], slot["id"], slot["kind"], slot["epoch"])
    return open_envelope(private, purpose, slot["key"])


def folder_key(own_dir, header, root, code, password):  # 4.2
    owner, folder = header["owner"], header["folder"]
    for name in header["slots"]:
        slot = named(own_dir, "slots", name, "eremos-slot")
        if slot is None or slot["epoch"] != header["epoch"]:
            continue
        if slot["kind"] == "owner":
            return slot_key(slot, root)
        if slot["kind"] == "owner-sealed":
            return by_pair(slot, open_box(root, "owner/%s/sealing" % owner["owner"], b64(owner["sealing"]["privateKey"])))
        if slot["kind"] == "owner-and-password" and code is None:
            both = root + password_key(slot["password"]["hashing"], password)
            return slot_key(slot, hkdf(both, bytes.fromhex(folder), "eremos/2/folder-password"))
        if slot["kind"] == "recovery" and code is not None:
            return by_pair(slot, open_box(code_key(owner, code), "owner/%s/recovery" % owner["owner"], b64(slot["privateKey"])))
    raise AssertionError("no way in")


def signer_key(owner, signer):  # 4.4
    if signer == owner["owner"]:
        return b64(owner["signing"]["publicKey"])
    for device in owner["devices"]:
        if device["id"] == signer and device["until"] is None:
            return b64(device["publicKey"])
    return None


def check_header(header):  # 4.4
    key = signer_key(header["owner"], header["signer"])
    assert key is not None, "locked by somebody unknown"
    signed(key, "eremos/2/header", header, ("signature",), header["signature"])


def check_generation(own_dir, generation, header):  # 6.3
    members = [named(own_dir, "members", name, "eremos-member") for name in header["members"]]
    for one in generation["signatures"]:
        key = signer_key(header["owner"], one["signer"])
        for member in members:
            if member and member["id"] == one["signer"] == generation["author"] and member["may"] == "change" and member["until"] is None:
                key = b64(member["signingKey"])
        if key is None:
            continue
        try:
            return signed(key, "eremos/2/generation", generation, ("signatures",), one["signature"])
        except InvalidSignature:
            continue
    raise AssertionError("made by somebody unknown")


def manifest(own_dir, name):  # 7
    with open(os.path.join(own_dir, "manifests", name), "rb") as file:
        data = file.read()
    assert digest(data) == name and data[:8] == b"EREMOSM2"
    found = {}
    for number in range(struct.unpack_from("<I", data, 8)[0]):
        identity, _, length, hashed = struct.unpack_from("<16sBQ32s", data, 12 + 57 * number)
        found[identity.hex()] = (length, hashed.hex())
    return found


class Object:  # 5
    def __init__(self, path, kind, header, secrets, begins, listed):
        with open(path, "rb") as file:
            data = file.read()
        head, self.body = data[:112], data[112:]
        assert head == begins and (len(data), digest(data)) == listed, "not what was written: " + path
        assert head[:8] == b"EREMOSO2" and head[8] == {"pack": 1, "index": 2}[kind] and head[9:12] == b"\x10\0\0"
        assert head[16:32] == bytes.fromhex(header["folder"]) and head[32:48].hex() == os.path.basename(path)
        epoch, key = struct.unpack_from("<I", head, 12)[0], head[48:64]
        secret = secrets[key.hex() if any(key) else epoch]
        purpose = hkdf(secret, bytes.fromhex(header["folder"]), "eremos/2/" + kind)
        self.key = hmac.new(purpose, head, hashlib.sha256).digest()
        self.chunks = [self.body[at:at + CHUNK + TAG] for at in range(0, len(self.body), CHUNK + TAG)]

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


def take_time(cursor):
    seconds, nanoseconds = cursor.take("qI")
    assert nanoseconds < 10 ** 9
    return seconds * 10 ** 9 + nanoseconds


def take_stream(cursor):
    stream = {"name": cursor.bytes(cursor.take("H"))}
    flags, stream["size"], stream["pack"], stream["offset"], stream["length"] = cursor.take("BQIQQ")
    if flags & 2:
        cursor.bytes(16)
    if flags & 1:
        stream["extents"] = [cursor.take("QQ") for _ in range(cursor.take("I"))]
    return stream


def read_entry(cursor):  # 5.4
    entry = {"kind": cursor.take("B"), "name": cursor.bytes(cursor.take("H")), "mode": 0o644, "uid": None, "gid": None, "mtime": 0, "group": 0}
    for _ in range(cursor.take("B")):
        tag, length = cursor.take("BI")
        end = cursor.at + length
        if tag & 127 == 1:
            flags = cursor.take("B")
            times = [take_time(cursor) for bit in (1, 2, 4) if flags & bit]
            entry["mtime"] = times[0] if flags & 1 else 0
        elif tag & 127 == 2:
            entry["mode"], entry["uid"], entry["gid"] = cursor.take("HII")
            entry["owner"], entry["of"] = (cursor.bytes(cursor.take("H")).decode() for _ in range(2))
        elif tag & 127 == 3:
            entry["xattrs"] = {cursor.bytes(cursor.take("H")).decode("latin1"): cursor.bytes(cursor.take("I")).hex() for _ in range(cursor.take("H"))}
        elif tag & 127 == 4:
            streams = [take_stream(cursor) for _ in range(cursor.take("H"))]
            entry.update({name: value for name, value in streams[0].items() if name != "name"})
        elif tag & 127 == 5:
            entry["listing"] = cursor.take("QQ")
        elif tag & 127 == 6:
            assert cursor.take("B") == 0
            entry["target"] = cursor.bytes(cursor.take("H"))
        elif tag & 127 == 7:
            entry["group"] = cursor.take("I")
        else:
            assert not tag & 128, "needs a newer reader"
        cursor.at = end
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


def states(own_dir):
    """The state records, the last one first: 7."""
    names = [name for name in os.listdir(own_dir) if re.match("^state-[0-9a-f]{32}[.]json$", name)]
    return sorted(names, key=lambda name: -record(os.path.join(own_dir, name), "eremos-state")["sequence"])


def main():
    folder = sys.argv[1]
    own_dir = os.path.join(folder, ".eremos")
    kind, secret = sys.stdin.readline().rstrip("\n").split(" ", 1)
    password = sys.stdin.readline().rstrip("\n")
    header = record(os.path.join(own_dir, "header.json"), "eremos-folder")
    root = root_from_password(header["owner"], secret) if kind == "password" else root_from_code(header["owner"], secret)
    check_owner(header["owner"], root)
    check_header(header)
    key = folder_key(own_dir, header, root, secret if kind == "code" else None, password)
    secrets = {header["epoch"]: key}
    privates = {header["epoch"]: open_box(key, "folder/%s/private-key/%d" % (header["folder"], header["epoch"]), b64(header["privateKey"]))}
    for before in header["earlier"]:  # 4.5
        number = before["epoch"]
        secrets[number] = open_box(key, "folder/%s/epoch/%d" % (header["folder"], number), b64(before["key"]))
        privates[number] = open_box(secrets[number], "folder/%s/private-key/%d" % (header["folder"], number), b64(before["privateKey"]))
    names = set(name.replace(".twin.json", ".json") for name in os.listdir(os.path.join(own_dir, "keys"))) if os.path.isdir(os.path.join(own_dir, "keys")) else ()
    for name in names:  # 6.2
        found = record(os.path.join(own_dir, "keys", name), "eremos-key")
        purpose = "folder/%s/generation-key/%s/%d" % (header["folder"], found["key"], found["epoch"])
        secrets[found["key"]] = open_box(secrets[found["epoch"]], purpose, b64(found["box"])) if found["box"] is not None else open_envelope(privates[found["epoch"]], purpose, found["sealed"])
    state = record(os.path.join(own_dir, states(own_dir)[0]), "eremos-state")
    present = state["generation"]
    generation = record(os.path.join(own_dir, "generations", "%s-%d.json" % (present["digest"][:16], present["number"])), "eremos-generation")
    assert digest(canonical({name: value for name, value in generation.items() if name != "signatures"})) == present["digest"]
    check_generation(own_dir, generation, header)
    listed = manifest(own_dir, generation["manifest"])
    plain = b""
    for segment in generation["index"]["segments"]:
        begins = b64(segment["header"])
        identity = begins[32:48].hex()
        part = Object(os.path.join(own_dir, "index", identity), "index", header, secrets, begins, listed[identity]).plaintext()
        assert len(part) == segment["length"]
        plain += part[:segment["used"]]
    content_key = secrets[generation["key"] or generation["epoch"]]
    facts = json.loads(open_box(content_key, "folder/%s/generation/%d" % (header["folder"], generation["number"]), b64(generation["sealed"])))

    cursor = Cursor(plain, generation["index"]["record"]["offset"])
    top = read_entry(cursor)
    count, at, files, size = cursor.take("IQQQ")
    packs = []
    for number in range(count):
        table = Cursor(plain, at + 152 * number)
        begins, length, hashed = table.bytes(112), table.take("Q"), table.bytes(32)
        if not any(begins):
            packs.append(None)
            continue
        identity = begins[32:48].hex()
        assert listed[identity][1] == hashed.hex()
        packs.append(Object(os.path.join(own_dir, "packs", identity[:2], identity), "pack", header, secrets, begins, listed[identity]).plaintext())
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
    place = base64.b64decode(facts["place"]["path"])
    print(json.dumps({"place": place.hex(), "files": files, "bytes": size, "entries": entries}))


main()
