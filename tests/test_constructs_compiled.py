"""The same in languages that are compiled: what a bad value is made by is among the first three roots.

C++ is built with the checkers, so that a signal has its line; the line to change, or each that will do, carries `#@`.
"""

from __future__ import annotations

import os
import re
import subprocess
from pathlib import Path

import pytest

from jamkey.pipeline import read_and_diagnose

JAVA: dict[str, str] = {
    "assignment": """public class Main {
    public static void main(String[] args) {
        String name = null; #@
        System.out.println(name.length());
    }
}
""",
    "assigned later": """public class Main {
    public static void main(String[] args) {
        String name = "oak";
        name = null; #@
        System.out.println(name.length());
    }
}
""",
    "branch": """public class Main {
    static String place(boolean old) {
        String found;
        if (old) {
            found = null; #@
        } else {
            found = "hill";
        }
        return found;
    }

    public static void main(String[] args) {
        System.out.println(place(true).length());
    }
}
""",
    "choice": """public class Main {
    public static void main(String[] args) {
        boolean old = args.length == 0;
        String name = old ? null : "oak"; #@
        System.out.println(name.length());
    }
}
""",
    "given back": """public class Main {
    static String place(String name) {
        return null; #@
    }

    public static void main(String[] args) {
        System.out.println(place("oak").length());
    }
}
""",
    "early end": """public class Main {
    static int[] kilos(String name) {
        if (name.equals("oak")) {
            return null; #@
        }
        return new int[] {31, 28};
    }

    public static void main(String[] args) {
        System.out.println(kilos("oak").length);
    }
}
""",
    "argument": """public class Main {
    static int length(String name) {
        return name.length();
    }

    public static void main(String[] args) {
        System.out.println(length(null)); #@
    }
}
""",
    "argument through two calls": """public class Main {
    static int inner(String name) {
        return name.length();
    }

    static int outer(String name) {
        return inner(name);
    }

    public static void main(String[] args) {
        System.out.println(outer(null)); #@
    }
}
""",
    "item of an array": """public class Main {
    public static void main(String[] args) {
        String[] names = {"oak", null, "elm"}; #@
        for (String name : names) {
            System.out.println(name.length());
        }
    }
}
""",
    "array not filled": """public class Main {
    public static void main(String[] args) {
        String[] names = new String[3]; #@
        names[0] = "oak";
        System.out.println(names[1].length()); #@
    }
}
""",
    "one past the end": """public class Main {
    public static void main(String[] args) {
        int[] kilos = {31, 28};
        int sum = 0;
        for (int i = 0; i <= kilos.length; i++) { #@
            sum += kilos[i];
        }
        System.out.println(sum);
    }
}
""",
    "size of an array": """public class Main {
    public static void main(String[] args) {
        int[] kilos = new int[2]; #@
        for (int i = 0; i < 3; i++) { #@
            kilos[i] = i;
        }
        System.out.println(kilos[0]);
    }
}
""",
    "item of a list": """import java.util.List;

public class Main {
    public static void main(String[] args) {
        List<String> kilos = List.of("31", "28kg"); #@
        int sum = 0;
        for (String one : kilos) {
            sum += Integer.parseInt(one);
        }
        System.out.println(sum);
    }
}
""",
    "added to a list": """import java.util.ArrayList;
import java.util.List;

public class Main {
    public static void main(String[] args) {
        List<String> names = new ArrayList<>();
        names.add("oak");
        names.add(null); #@
        for (String name : names) {
            System.out.println(name.length());
        }
    }
}
""",
    "map without the key": """import java.util.HashMap;
import java.util.Map;

public class Main {
    public static void main(String[] args) {
        Map<String, Integer> kilos = new HashMap<>();
        kilos.put("oak", 31); #@
        int found = kilos.get("elm"); #@
        System.out.println(found);
    }
}
""",
    "put into a map": """import java.util.HashMap;
import java.util.Map;

public class Main {
    public static void main(String[] args) {
        Map<String, String> places = new HashMap<>();
        places.put("oak", null); #@
        System.out.println(places.get("oak").length());
    }
}
""",
    "field never set": """public class Main {
    static class Hive {
        String name; #@

        int length() {
            return name.length();
        }
    }

    public static void main(String[] args) {
        Hive hive = new Hive(); #@
        System.out.println(hive.length());
    }
}
""",
    "field set by a constructor": """public class Main {
    static class Hive {
        private final String name;

        Hive(String name) {
            this.name = name;
        }

        int length() {
            return name.length();
        }
    }

    public static void main(String[] args) {
        Hive hive = new Hive(null); #@
        System.out.println(hive.length());
    }
}
""",
    "parameter hides the field": """public class Main {
    static class Hive {
        private String name;

        Hive(String name) {
            name = name; #@
        }

        int length() {
            return name.length();
        }
    }

    public static void main(String[] args) {
        System.out.println(new Hive("oak").length());
    }
}
""",
    "super": """public class Main {
    static class Box {
        private final String name;

        Box(String name) {
            this.name = name;
        }

        int length() {
            return name.length();
        }
    }

    static class Hive extends Box {
        Hive() {
            super(null); #@
        }
    }

    public static void main(String[] args) {
        System.out.println(new Hive().length());
    }
}
""",
    "set by a method": """public class Main {
    static class Hive {
        private int frames = 10;

        void empty() {
            frames = 0; #@
        }

        int share(int kilos) {
            return kilos / frames;
        }
    }

    public static void main(String[] args) {
        Hive hive = new Hive();
        hive.empty(); #@
        System.out.println(hive.share(31));
    }
}
""",
    "static field": """public class Main {
    static int frames = 0; #@

    static int share(int kilos) {
        return kilos / frames;
    }

    public static void main(String[] args) {
        System.out.println(share(31));
    }
}
""",
    "constant": """public class Main {
    private static final int STEP = 0; #@

    public static void main(String[] args) {
        int rest = 31 % STEP;
        System.out.println(rest);
    }
}
""",
    "overridden method": """public class Main {
    interface Place {
        String name();
    }

    static class Hill implements Place {
        public String name() {
            return null; #@
        }
    }

    public static void main(String[] args) {
        Place place = new Hill();
        System.out.println(place.name().length());
    }
}
""",
    "cast": """public class Main {
    public static void main(String[] args) {
        Object kilos = "31"; #@
        Integer number = (Integer) kilos; #@
        System.out.println(number);
    }
}
""",
    "stream": """import java.util.List;
import java.util.stream.Collectors;

public class Main {
    public static void main(String[] args) {
        List<String> rows = List.of("31", "", "28"); #@
        List<Integer> kilos = rows.stream().map(Integer::parseInt).collect(Collectors.toList()); #@
        System.out.println(kilos);
    }
}
""",
    "lambda": """import java.util.function.Function;

public class Main {
    public static void main(String[] args) {
        Function<String, String> place = name -> null; #@
        System.out.println(place.apply("oak").length());
    }
}
""",
    "list that cannot change": """import java.util.List;

public class Main {
    public static void main(String[] args) {
        List<String> names = List.of("oak", "elm"); #@
        names.add("ash"); #@
        System.out.println(names);
    }
}
""",
    "own check": """public class Main {
    static int checked(int kilos) {
        if (kilos < 0) {
            throw new IllegalArgumentException("no hive weighs less than nothing");
        }
        return kilos;
    }

    public static void main(String[] args) {
        System.out.println(checked(-3)); #@
    }
}
""",
}
CPP: dict[str, str] = {
    "assignment": """int main() {
    int frames = 0; #@
    return 31 / frames;
}
""",
    "assigned later": """int main() {
    int frames = 10;
    frames = 0; #@
    return 31 / frames;
}
""",
    "branch": """int frames(bool old) {
    int found;
    if (old) {
        found = 0; #@
    } else {
        found = 10;
    }
    return found;
}

int main() {
    return 31 / frames(true);
}
""",
    "choice": """int main(int count, char **) {
    int frames = count > 0 ? 0 : 10; #@
    return 31 / frames;
}
""",
    "given back": """int frames() {
    return 0; #@
}

int main() {
    return 31 / frames();
}
""",
    "argument": """int share(int kilos, int frames) {
    return kilos / frames;
}

int main() {
    return share(31, 0); #@
}
""",
    "arguments the other way round": """int share(int kilos, int frames) {
    return kilos / frames;
}

int main() {
    int kilos = 0; #@
    int frames = 10;
    return share(frames, kilos); #@
}
""",
    "argument through two calls": """int inner(int kilos, int frames) {
    return kilos / frames;
}

int outer(int frames) {
    return inner(31, frames);
}

int main() {
    return outer(0); #@
}
""",
    "default": """int share(int kilos, int frames = 0) { #@
    return kilos / frames;
}

int main() {
    return share(31); #@
}
""",
    "null pointer": """struct Hive {
    int kilos;
};

int main() {
    Hive *hive = nullptr; #@
    return hive->kilos;
}
""",
    "found nothing": """struct Hive {
    int number;
    int kilos;
};

Hive *find(Hive *hives, int count, int number) {
    for (int i = 0; i < count; i++) {
        if (hives[i].number == number) { #@
            return &hives[i];
        }
    }
    return nullptr; #@
}

int main() {
    Hive hives[2] = {{1, 31}, {2, 28}};
    Hive *found = find(hives, 2, 3); #@
    return found->kilos;
}
""",
    "one past the end": """int main() {
    int kilos[3] = {31, 28, 30};
    int sum = 0;
    for (int i = 0; i <= 3; i++) { #@
        sum += kilos[i];
    }
    return sum;
}
""",
    "size of an array": """int main() {
    int kilos[2] = {0, 0}; #@
    for (int i = 0; i < 3; i++) { #@
        kilos[i] = i;
    }
    return kilos[0];
}
""",
    "counting from one": """int main() {
    int *kilos = new int[3]; #@
    for (int i = 1; i <= 3; i++) { #@
        kilos[i] = i;
    }
    int first = kilos[1];
    delete[] kilos;
    return first;
}
""",
    "member set by a constructor": """class Hive {
public:
    Hive(int frames) : frames_(frames) {}
    int share(int kilos) { return kilos / frames_; }

private:
    int frames_;
};

int main() {
    Hive hive(0); #@
    return hive.share(31);
}
""",
    "member with a value of its own": """class Hive {
public:
    int share(int kilos) {
        return kilos / frames;
    }

private:
    int frames = 0; #@
};

int main() {
    Hive hive;
    return hive.share(31);
}
""",
    "set by a method": """struct Hive {
    int frames = 10;

    void empty() {
        frames = 0; #@
    }

    int share(int kilos) {
        return kilos / frames;
    }
};

int main() {
    Hive hive;
    hive.empty(); #@
    return hive.share(31);
}
""",
    "base class": """struct Box {
    int frames;
    Box(int count) : frames(count) {}
};

struct Hive : Box {
    Hive() : Box(0) {} #@
};

int main() {
    Hive hive;
    return 31 / hive.frames;
}
""",
    "overridden": """struct Place {
    virtual int frames() { return 10; }
    virtual ~Place() {}
};

struct Hill : Place {
    int frames() override {
        return 0; #@
    }
};

int main() {
    Hill hill;
    Place &place = hill;
    return 31 / place.frames();
}
""",
    "global": """int frames = 0; #@

int share(int kilos) {
    return kilos / frames;
}

int main() {
    return share(31);
}
""",
    "constant": """const int STEP = 0; #@

int main() {
    int kilos = 31;
    return kilos % STEP;
}
""",
    "set through a reference": """void empty(int &frames) {
    frames = 0; #@
}

int main() {
    int frames = 10;
    empty(frames); #@
    return 31 / frames;
}
""",
    "set through a pointer": """void empty(int *frames) {
    *frames = 0; #@
}

int main() {
    int frames = 10;
    empty(&frames); #@
    return 31 / frames;
}
""",
    "used after it was freed": """struct Hive {
    int kilos;
};

int main() {
    Hive *hive = new Hive{31};
    delete hive; #@
    return hive->kilos; #@
}
""",
    "freed twice": """int main() {
    int *kilos = new int[2];
    kilos[0] = 31;
    delete[] kilos; #@
    delete[] kilos; #@
    return 0;
}
""",
    "address of a local": """int *weigh() {
    int kilos = 31; #@
    int *place = &kilos; #@
    return place; #@
}

int main() {
    int *kilos = weigh();
    return *kilos;
}
""",
    "template": """template <typename Number> Number share(Number kilos, Number frames) {
    return kilos / frames;
}

int main() {
    return share<int>(31, 0); #@
}
""",
    "lambda": """int main() {
    int frames = 0; #@
    auto share = [frames](int kilos) { return kilos / frames; };
    return share(31);
}
""",
    "text too long for its place": """#include <cstring>

int main() {
    char name[4]; #@
    strcpy(name, "oak hive"); #@
    return name[0];
}
""",
}
#: What is not followed yet.
MISSED: dict[str, set[str]] = {"java": set(), "c++": set()}
TABLES = {"java": JAVA, "c++": CPP}
_CHECKED = ["g++", "-g", "-O0", "-fsanitize=address,undefined", "-fno-sanitize-recover=undefined", "-o", "main", "main.cpp"]
#: A program of a second is not worth long preparations.
_LIGHT = ("-XX:TieredStopAtLevel=1", "-XX:+UseSerialGC", "-Xshare:auto")
#: Leaks are not what is asked about, what outlives its function is, and a trace has its places.
_QUIET = {"ASAN_OPTIONS": "detect_leaks=0:detect_stack_use_after_return=1", "UBSAN_OPTIONS": "print_stacktrace=1"}


def roots_of(folder: Path, language: str, marked: str) -> tuple[list[int], list[int]]:
    """Run one program; return the lines to change and those of the first three roots."""
    folder.mkdir()
    name = "Main.java" if language == "java" else "main.cpp"
    (folder / name).write_text(re.sub(" +#@", "", marked), encoding="utf-8")
    if language == "java":
        command = ["java", "-XX:+ShowCodeDetailsInExceptionMessages", *_LIGHT, name]
    else:
        subprocess.run(_CHECKED, cwd=folder, check=True, capture_output=True)
        command = [str(folder / "main")]
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False, env={**os.environ, **_QUIET})
    assert done.returncode, done.stdout
    jam = read_and_diagnose(done.stderr, root=folder)[-1]
    right = [line for line, row in enumerate(marked.split("\n"), 1) if "#@" in row]
    return right, [root.line for root in jam.roots[:3]]


@pytest.mark.spread(4)
@pytest.mark.parametrize(("language", "construct"), [(language, name) for language, table in TABLES.items() for name in table])
def test_roots_are_among_the_first_three(language: str, construct: str, tmp_path: Path) -> None:
    right, found = roots_of(tmp_path / "program", language, TABLES[language][construct])
    assert (not set(right) & set(found)) == (construct in MISSED[language]), (right, found)


def test_a_division_that_failed_is_placed_by_the_source_alone(tmp_path: Path) -> None:
    """A program without checkers says "Floating point exception" and no line: the only one that divides it is."""
    dividing = {name: text for name, text in CPP.items() if len(re.findall(r" [/%] \w", text)) == 1}
    assert len(dividing) >= 15
    for place, text in enumerate(dividing.values()):
        (tmp_path / str(place)).mkdir()
        (tmp_path / str(place) / "main.cpp").write_text(re.sub(" +#@", "", text), encoding="utf-8")
        (jam,) = read_and_diagnose("Floating point exception\n", root=tmp_path / str(place))
        assert jam.snag_frame is not None
        assert re.search(r" [/%] \w", text.split("\n")[(jam.snag_frame.line or 0) - 1])
        assert "the only line that divides by what may be zero" in jam.meaning


def test_the_tables_are_long() -> None:
    assert all(len(table) >= 25 for table in TABLES.values())
    assert all(names <= set(TABLES[language]) for language, names in MISSED.items())
    assert all(len(names) <= len(TABLES[language]) // 10 for language, names in MISSED.items())
