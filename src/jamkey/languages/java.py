"""Java's facts."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import C_LIKE
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class Java(Tokened):
    """Java as Jam Key knows it."""

    name = "java"
    lexer = "java"
    idioms = Idioms(
        missing="null",
        true="true",
        false="false",
        to_text="String.valueOf({0})",
        to_whole="Integer.parseInt({0})",
        to_number="Double.parseDouble({0})",
        to_list="{0}",
        not_missing="{0} != null",
        is_missing="{0} == null",
        choice="{1} ? {0} : {2}",
        length="{0}.length",
        lookup="{0}.get({1})",
        whole_division="/",
        comment="//",
        import_module="import {0};",
        from_module="import {0}.{1};",
        import_as="import {0};",
        lowered="{0}.toLowerCase()",
        raised="{0}.toUpperCase()",
        stripped="{0}.trim()",
        look_alikes={
            "string": "String",
            "system": "System",
            "math": "Math",
            "integer": "Integer",
            "True": "true",
            "False": "false",
            "None": "null",
            "NULL": "null",
            "nil": "null",
            "Int": "int",
            "bool": "boolean",
        },
    )
    style = C_LIKE
    grammar = Grammar(typed=True, function_words=frozenset())
    keywords = frozenset(
        """
        abstract assert boolean break byte case catch char class const continue default do double else enum extends
        final finally float for if implements import instanceof int interface long native new package private protected
        public record return sealed short static strictfp super switch synchronized this throw throws transient try var
        void volatile while yield
    """.split()
    )
    builtins = frozenset(
        """
        String System Math Integer Double Long Boolean Character Object Exception RuntimeException
        IllegalArgumentException IllegalStateException Thread Runnable StringBuilder Iterable Comparable Override true
        false null
    """.split()
    )
    imports = {
        "ArrayList": "import java.util.ArrayList;",
        "List": "import java.util.List;",
        "Map": "import java.util.Map;",
        "HashMap": "import java.util.HashMap;",
        "Set": "import java.util.Set;",
        "HashSet": "import java.util.HashSet;",
        "Scanner": "import java.util.Scanner;",
        "Arrays": "import java.util.Arrays;",
        "Collections": "import java.util.Collections;",
        "TreeMap": "import java.util.TreeMap;",
        "LinkedList": "import java.util.LinkedList;",
        "Random": "import java.util.Random;",
        "Optional": "import java.util.Optional;",
        "Iterator": "import java.util.Iterator;",
        "Locale": "import java.util.Locale;",
        "Objects": "import java.util.Objects;",
        "Date": "import java.util.Date;",
        "Comparator": "import java.util.Comparator;",
        "Deque": "import java.util.Deque;",
        "ArrayDeque": "import java.util.ArrayDeque;",
        "Queue": "import java.util.Queue;",
        "PriorityQueue": "import java.util.PriorityQueue;",
        "LinkedHashMap": "import java.util.LinkedHashMap;",
        "TreeSet": "import java.util.TreeSet;",
        "File": "import java.io.File;",
        "IOException": "import java.io.IOException;",
        "BufferedReader": "import java.io.BufferedReader;",
        "FileReader": "import java.io.FileReader;",
        "PrintWriter": "import java.io.PrintWriter;",
        "FileWriter": "import java.io.FileWriter;",
        "InputStreamReader": "import java.io.InputStreamReader;",
        "Files": "import java.nio.file.Files;",
        "Path": "import java.nio.file.Path;",
        "Paths": "import java.nio.file.Paths;",
        "LocalDate": "import java.time.LocalDate;",
        "LocalTime": "import java.time.LocalTime;",
        "LocalDateTime": "import java.time.LocalDateTime;",
        "Duration": "import java.time.Duration;",
        "Collectors": "import java.util.stream.Collectors;",
    }


LANGUAGE = Java()
