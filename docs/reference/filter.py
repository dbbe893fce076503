#!/usr/bin/env python3
"""Shows a header to doxygen as its readers understand it.

One comment holds for all that a line declares, and what the language says of comparisons,
destructors and copies needs no comment of its own.
"""

import re
import sys

USUAL = (
    (re.compile(r"\boperator==\(.*"), "Whether all that makes them what they are is equal."),
    (re.compile(r"\s(virtual )?~\w+\("), "Gives back all that it holds."),
    (re.compile(r"\w+\(const \w+(<\w+>)?&( \w+)?\)"), "A copy of its own."),
    (re.compile(r"\w+\(\w+(<\w+>)?&&( \w+)?\)"), "Takes over what the other held."),
    (re.compile(r"operator=\("), "As the constructor of that kind."),
)
DECLARATORS = re.compile(
    r"^(\s*)((?:static constexpr |const )?[\w:]+(?:<[^;=]*?>)?\*?&? )"
    r"(\w+(?: = [^,;(){}]+|\{[^{};]*\})?(?:, \w+(?: = [^,;(){}]+|\{[^{};]*\})?)+);(\s*///<.*)?$"
)


def usual(line):
    """The comment that a declaration gets without having one; none if it should have one."""
    if not line.rstrip().endswith((";", "}")) or line.lstrip().startswith(("return", "//", "}")):
        return None
    found = [text for pattern, text in USUAL if pattern.search(line)]
    return found[0] if found else None


def declared(line):
    """A line for each that the line declares, and the comment at its end."""
    match = DECLARATORS.match(line)
    if not match:
        return [line], None
    indent, kind, names, comment = match.groups()
    parts = re.split(r", (?=\w+(?: =|\{|,|$))", names)
    return [f"{indent}{kind}{part};" for part in parts], comment


def shown(lines):
    above = []
    for line in lines:
        if line.lstrip().startswith("///") and not line.lstrip().startswith("///<"):
            above.append(line)
            continue
        parts, comment = declared(line)
        if len(parts) == 1:
            text = usual(line)
            if not above and text and "///<" not in line:
                above = ["/// " + text]
            yield from above
            yield line
        else:
            for part in parts:
                yield from above
                yield part + (comment or "")
        above = []


if __name__ == "__main__":
    with open(sys.argv[1], encoding="utf-8") as header:
        print("\n".join(shown(header.read().split("\n"))))
