"""Independent readers, asked over a pipe: the family and a length on a line, then the bytes of a file.

The answer is one line of JSON: what the file says, as a list of [path, sort, text] in reading order; or null
where it cannot be read. Names in a path are parted by a newline, an element of a list is "-".
"""

import ast
import io
import json
import sys
import tomllib
import xml.parsers.expat


def scalar(value):
    if value is None:
        return ["null", ""]
    if isinstance(value, bool):
        return ["flag", str(value).lower()]
    if isinstance(value, (int, float, complex)):
        return ["number", repr(value)]
    if isinstance(value, str):
        return ["text", value]
    return ["other", repr(value)]


def flat(value, path, out, containers=True):
    if isinstance(value, dict):
        if containers:
            out.append([path, "{", ""])
        for name, inner in value.items():
            flat(inner, path + [str(name)], out, containers)
    elif isinstance(value, Pairs):
        if containers:
            out.append([path, "{", ""])
        for name, inner in value:
            flat(inner, path + [str(name)], out, containers)
    elif isinstance(value, (list, tuple, set)) and not isinstance(value, Pairs):
        out.append([path, "[", ""])
        for inner in value:
            flat(inner, path + ["-"], out, containers)
    else:
        out.append([path, *scalar(value)])


class Pairs(list):
    """The members of an object of JSON, which may repeat."""


def read_json(data):
    out = []
    flat(json.loads(data.decode("utf-8-sig"), object_pairs_hook=Pairs), [], out)
    return out


def read_toml(data):
    out = []
    flat(tomllib.loads(data.decode("utf-8-sig").replace("\r\n", "\n")), [], out, containers=False)
    return out


def read_yaml(data):
    from ruamel.yaml import YAML

    out = []
    for document in YAML(typ="safe", pure=True).load_all(data.decode("utf-8-sig")):
        flat(document, [], out)
    return out


def read_yaml11(data):
    import yaml

    out = []
    for document in yaml.safe_load_all(data.decode("utf-8-sig")):
        flat(document, [], out)
    return out


def read_xml(data):
    out, path, texts = [], [], []

    def start(name, attributes):
        path.append(name)
        texts.append("")
        out.append([list(path), "<", ""])
        for attribute, value in attributes.items():
            out.append([path + [attribute], "text", value])

    def end(name):
        text = texts.pop().strip(" \t\r\n")
        if text:
            out.append([path + [""], "text", text])
        path.pop()

    def text(data):
        if texts:
            texts[-1] += data

    parser = xml.parsers.expat.ParserCreate()
    parser.ordered_attributes = False
    parser.StartElementHandler = start
    parser.EndElementHandler = end
    parser.CharacterDataHandler = text
    parser.Parse(data, True)
    return out


def read_literals(data):
    out = []
    for statement in ast.parse(data.decode("utf-8-sig")).body:
        if isinstance(statement, ast.Assign) and len(statement.targets) == 1 and isinstance(statement.targets[0], ast.Name):
            name = statement.targets[0].id
            try:
                flat(ast.literal_eval(statement.value), [name], out)
                continue
            except ValueError:
                pass
        out.append([["#"], "other", ast.dump(statement)])
    return out


READERS = {
    "json": read_json,
    "toml": read_toml,
    "yaml": read_yaml,
    "yaml11": read_yaml11,
    "xml": read_xml,
    "literals": read_literals,
}


def main():
    sys.setrecursionlimit(5000)
    stdin, stdout = sys.stdin.buffer, sys.stdout
    while line := stdin.readline():
        family, length = line.split()
        data = stdin.read(int(length))
        try:
            answer = READERS[family.decode()](data)
        except Exception:
            answer = None
        stdout.write(json.dumps(answer) + "\n")
        stdout.flush()


main()
