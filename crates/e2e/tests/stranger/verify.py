"""Verifies an exported ledger; written from docs/ledger.md alone, with nothing but Python's own library.

    verify.py FILE KEY [CHECKPOINTS]

Prints one line, and ends with 0 where the file is genuine, with 6 where it is not.
"""

import base64
import hashlib
import json
import sys

# Ed25519, as RFC 8032 gives it in section 6; slow, and only to verify.
P = 2**255 - 19
L = 2**252 + 27742317777372353535851937790883648493
D = -121665 * pow(121666, P - 2, P) % P
ROOT_OF_MINUS_ONE = pow(2, (P - 1) // 4, P)


def recovered(y, sign):
    """The x that belongs to a y; none where there is none."""
    if y >= P:
        return None
    square = (y * y - 1) * pow(D * y * y + 1, P - 2, P) % P
    x = pow(square, (P + 3) // 8, P)
    if (x * x - square) % P:
        x = x * ROOT_OF_MINUS_ONE % P
    if (x * x - square) % P or (x == 0 and sign):
        return None
    return P - x if x & 1 != sign else x


def point(raw):
    y = int.from_bytes(raw, "little")
    y, sign = y & ((1 << 255) - 1), y >> 255
    x = recovered(y, sign)
    return None if x is None else (x, y, 1, x * y % P)


def added(a, b):
    one = (a[1] - a[0]) * (b[1] - b[0]) % P
    two = (a[1] + a[0]) * (b[1] + b[0]) % P
    three, four = 2 * a[3] * b[3] * D % P, 2 * a[2] * b[2] % P
    e, f, g, h = two - one, four - three, four + three, two + one
    return (e * f % P, g * h % P, f * g % P, e * h % P)


def times(n, a):
    total = (0, 1, 1, 0)
    while n:
        if n & 1:
            total = added(total, a)
        a, n = added(a, a), n >> 1
    return total


BASE_Y = 4 * pow(5, P - 2, P) % P
BASE_X = recovered(BASE_Y, 0)
BASE = (BASE_X, BASE_Y, 1, BASE_X * BASE_Y % P)


def is_signed(key, body, signature):
    a, r, s = point(key), point(signature[:32]), int.from_bytes(signature[32:], "little")
    if a is None or r is None or s >= L:
        return False
    h = int.from_bytes(hashlib.sha512(signature[:32] + key + body).digest(), "little") % L
    left, right = times(s, BASE), added(r, times(h, a))
    return not ((left[0] * right[2] - right[0] * left[2]) % P or (left[1] * right[2] - right[1] * left[2]) % P)


class Forged(Exception):
    """What is wrong with the file."""


def sha(*parts):
    return hashlib.sha256(b"".join(parts)).digest()


def opened(note, line):
    """Size and root of a note, and its epoch."""
    origin, key_hash, key = line.strip().split("+", 2)
    key = base64.b64decode(key, validate=True)
    if key[:1] != b"\x01" or sha(origin.encode(), b"\n", key)[:4].hex() != key_hash:
        raise Forged("this is no public key")
    body, _, rest = note.partition("\n\n")
    body += "\n"
    lines = body.split("\n")
    mark, signer, signature = rest.rstrip("\n").split(" ")
    signature = base64.b64decode(signature, validate=True)
    if (mark, signer, lines[0]) != ("\u2014", origin, origin) or signature[:4].hex() != key_hash:
        raise Forged("the checkpoint is somebody else's")
    if len(signature) != 68 or not is_signed(key[1:], body.encode(), signature[4:]):
        raise Forged("the checkpoint's signature is not genuine")
    size, root, epoch = lines[1], base64.b64decode(lines[2], validate=True), lines[3].removeprefix("epoch ")
    if body != f"{origin}\n{int(size)}\n{base64.b64encode(root).decode()}\nepoch {int(epoch)}\n":
        raise Forged("the checkpoint is written otherwise")
    return int(size), root, int(epoch)


class Tree:
    """Roots of full subtrees, largest first."""

    def __init__(self):
        self.size, self.edge = 0, []

    def push(self, leaf):
        covers, self.size = 1, self.size + 1
        while self.edge and self.edge[-1][0] == covers:
            leaf, covers = sha(b"\x01", self.edge.pop()[1], leaf), covers * 2
        self.edge.append((covers, leaf))

    def root(self):
        if not self.edge:
            return sha(b"")
        root = self.edge[-1][1]
        for _, left in reversed(self.edge[:-1]):
            root = sha(b"\x01", left, root)
        return root


def read(line, members, number):
    try:
        value = json.loads(line)
        again = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    except ValueError as wrong:
        raise Forged(f"line {number}: {wrong}") from wrong
    if again != line or list(value) != members:
        raise Forged(f"line {number} is written otherwise")
    return value


def verified(text, key, seen):
    if not text.endswith("\n"):
        raise Forged("the last line has no end")
    lines = text[:-1].split("\n")
    head = read(lines[0], ["ledger", "checkpoint"], 1)
    if head["ledger"] not in (1, 2):
        raise Forged("another form of the file")
    size, root, epoch = opened(head["checkpoint"], key)
    tree, leaves, told, rewritten = Tree(), [], [], None
    for number, line in enumerate(lines[1 : size + 1], 2):
        fact = read(line, ["n", "leaf", "fact"], number)
        if fact["n"] != len(leaves):
            raise Forged(f"line {number}: fact {fact['n']} stands where {len(leaves)} belongs")
        leaf = sha(b"\x00", fact["fact"].encode())
        if leaf.hex() != fact["leaf"]:
            raise Forged(f"fact {fact['n']} was changed")
        tree.push(leaf)
        leaves.append(leaf)
        if tree.size in seen and seen[tree.size] != tree.root():
            rewritten = rewritten or tree.size
    if len(leaves) != size:
        raise Forged(f"the tail was cut: {len(leaves)} of {size}")
    for number, line in enumerate(lines[size + 1 :], size + 2):
        more = read(line, ["leaves_from", "leaves"], number)
        if head["ledger"] == 1 or more["leaves_from"] != len(told) or len(more["leaves"]) != min(256, size - len(told)):
            raise Forged(f"line {number}: these leaf hashes don't belong here")
        told += [bytes.fromhex(one) for one in more["leaves"]]
    if tree.root() != root:
        second = Tree()
        for leaf in told:
            second.push(leaf)
        named = [n for n, (have, was) in enumerate(zip(leaves, told)) if have != was and second.root() == root]
        raise Forged(f"fact {named[0]} was changed with its leaf hash" if named else "these are not the facts that were signed")
    if rewritten:
        raise Forged(f"history was rewritten within the first {rewritten} facts")
    if seen and max(seen) > size:
        raise Forged(f"the tail was cut: {max(seen)} facts were seen earlier")
    if head["ledger"] == 2 and told != leaves:
        raise Forged("the second copy of the leaf hashes differs")
    return f"genuine: {size} facts, epoch {epoch}, root {root.hex()}"


def earlier(path, key):
    """The checkpoints of the last epoch in the file kept elsewhere."""
    with open(path, encoding="utf-8") as file:
        notes = [opened(json.loads(line.split(" ", 2)[2]), key) for line in file]
    last = max(epoch for _, _, epoch in notes)
    return {size: root for size, root, epoch in notes if epoch == last}


def main(file, key, checkpoints=None):
    try:
        with open(file, encoding="utf-8", newline="") as text:
            print(verified(text.read(), key, earlier(checkpoints, key) if checkpoints else {}))
    except (Forged, ValueError, KeyError, TypeError, IndexError) as wrong:
        print(f"NOT GENUINE: {wrong}")
        return 6
    return 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
