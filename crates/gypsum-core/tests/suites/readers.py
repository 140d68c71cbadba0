"""Independent readers, asked over a pipe: the family and a length on a line, then the bytes of a file.

The answer is one line of JSON: what the file says, as a list of [path, sort, text] in reading order; or null
where it cannot be read. Names in a path are parted by a newline, an element of a list is "-".
"""

import ast
import configparser
import io
import json
import re
import subprocess
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


def read_sections(data):
    """As systemd.syntax(7) has it; where nothing is set twice, the library's reader has to see the same."""
    out, section, once = [], [], set()
    for line in data.decode("utf-8").split("\n"):
        line = line.removesuffix("\r")
        text = line.strip()
        if not text or text[0] in "#;":
            continue
        # Lines that go on, and those that are indented, are read in more than one way.
        if line[0].isspace() or line.endswith("\\"):
            raise ValueError("a line that goes on")
        if text[0] == "[" and text[-1] == "]":
            section = [text[1:-1]]
            out.append([section, "[", ""])
            continue
        name, mark, value = text.partition("=")
        if not mark or not name.strip():
            raise ValueError("no setting")
        once.add((*section, name.strip()))
        out.append([section + [name.strip()], "text", value.strip()])
    settings = [row for row in out if row[1] == "text"]
    sections = [row[0] for row in out if row[1] == "["]
    if len(once) == len(settings) and out and out[0][1] == "[" and len(sections) == len({one[0] for one in sections}):
        library = configparser.RawConfigParser(delimiters=("=",), comment_prefixes=("#", ";"), default_section="\n")
        library.optionxform = str
        library.read_string(data.decode("utf-8"))
        read = [[[one, name], "text", value] for one in library.sections() for name, value in library.items(one)]
        if read != settings:
            raise ValueError("two readers differ")
    return out


def read_properties(data):
    import javaproperties

    entries = javaproperties.parse(io.StringIO(data.decode("utf-8"), newline=""))
    return [[[one.key], "text", one.value] for one in entries if hasattr(one, "key")]


ASSIGNMENT = re.compile(r"(?:export |readonly )?([A-Za-z_][A-Za-z0-9_]*)=")
# A quoted part of a word, an escaped character, a plain one.
PART = re.compile(r"""'([^']*)'|"((?:[^"\\]|\\.)*)"|\\(.)|([^'"\\\s;&|<>()])""", re.DOTALL)


def word(text, at):
    """What the word at this place stands for, before anything in it is expanded, and where it ends."""
    out = ""
    while part := PART.match(text, at):
        single, double, escaped, plain = part.groups()
        out += single or re.sub(r'\\([$`"\\])', r"\1", double or "") or escaped or plain or ""
        at = part.end()
    return out, at


def read_assignments(data):
    """As bash itself takes the file apart and prints it again, without comments."""
    shell = ["bash", "--norc", "--pretty-print", "/dev/stdin"]
    done = subprocess.run(shell, input=data, capture_output=True, timeout=10, check=True)
    if done.stderr:
        raise ValueError("not the shell's")
    text = done.stdout.decode("utf-8")
    out, at = [], 0
    while at < len(text):
        end = text.find("\n", at) % (len(text) + 1)
        if found := ASSIGNMENT.match(text, at):
            value, after = word(text, found.end())
            if text[after : after + 1] in ("\n", ""):
                out.append([[found[1]], "text", value])
                at = after + 1
                continue
        if line := text[at:end].strip():
            out.append([["#"], "other", line])
        at = end + 1
    return out


READERS = {
    "assignments": read_assignments,
    "properties": read_properties,
    "sections": read_sections,
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
