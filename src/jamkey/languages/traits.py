"""What tells one language or runtime from another, as facts: whoever reasons about code asks these, never for a name."""

from __future__ import annotations

import msgspec


class Traits(msgspec.Struct, frozen=True, kw_only=True):
    """One language's or runtime's facts; the defaults are the usual case."""

    #: The source is read as a syntax tree of the language's own grammar; else by its tokens.
    whole_tree: bool = False
    #: A trace names file and line of every frame.
    names_places: bool = False
    #: An agent's record of a frame knows the call, not the file: frames are matched by what they call.
    frames_by_call: bool = False
    #: A trace may lack places only for code that was typed in.
    unplaced_when_typed: bool = False
    #: A call without one of its arguments fails there; else the parameter is missing or empty inside.
    missing_argument_fails: bool = False
    #: Asking for a member that is not there fails there; else it reads as nothing.
    absent_member_fails: bool = False
    #: Every member of an own object is set somewhere in the code.
    members_in_code: bool = False
    #: A call with another number of arguments than the function has is refused before the program starts.
    counts_arguments: bool = False
    #: A function that ends without giving anything back gives nothing, and nobody says so.
    silent_without_return: bool = False
    #: A function without a word for it gives back its last expression.
    gives_its_last: bool = False
    #: A name that a function sets is its own without a declaration.
    own_by_setting: bool = False
    #: Values that all calls of a function share, where they are a parameter's default.
    shared_defaults: frozenset[str] = frozenset()
    #: A function gives back what its output names hold.
    output_names: bool = False
    #: Words with which a line raises a failure of its own, and whether a trace shows that line.
    raises_with: tuple[str, ...] = ()
    raise_in_trace: bool = False
    #: Calls of what is compiled into the runtime have no frame: what they raise seems to come from the line that calls.
    native_unseen: bool = False
    #: The number of the first place of a list.
    first_place: int = 0
    #: Items of a list may stand without commas between.
    items_without_commas: bool = False
    #: A module's own files are named by a relative path.
    relative_modules: bool = False
    #: A module is asked for by its file, with the ending; or modules lie within others, a dot between their names.
    modules_by_file: bool = False
    modules_within: bool = False
    #: Libraries that people install, the words with which they do (`{0}` is the library), and what it is called there where
    #: that is another name.
    libraries: tuple[str, ...] = ()
    installs: str = ""
    installed_as: dict[str, str] = {}
    #: Imports stand at the top by custom only: the line that lacks one is where the name is used.
    imports_anywhere: bool = False
    #: Columns of a table are members of it, read by `$`.
    columns_by_sign: bool = False
    #: Columns of a table are asked for like names, within calls that are given the table.
    columns_as_names: bool = False
    #: What ends a statement.
    statement_end: str = ";"
    #: A message is sent in square brackets; a type's head names it.
    sends_in_brackets: bool = False
    heads_name_types: bool = False
    #: A trace is printed as the log convention wants it only by frames, outermost first.
    outermost_first: bool = False
    #: A failed program prints where it was only when a second run asks.
    asked_when_hung: bool = False
    #: It has several words for what is not there (NULL, NA, a vector of no items): which was met is told by a value alone.
    several_nothings: bool = False
    #: It prints its messages in the user's own language.
    translated: bool = False
    #: A program that failed can be built again and run under a debugger, which tells its frames and what they held.
    debugged: bool = False
    #: Its compiler builds in checkers that stop a program where memory is first misused.
    has_checkers: bool = False
    #: Its procedures are given notes in a second run, as nobody else tells where it failed.
    noted: bool = False
    #: The compiler tells what it would write instead to whoever asks.
    compiler_proposes: bool = False
    #: The values of a function's frames are asked for in a second run.
    asked_for_values: bool = False
    #: A compiler refuses more than a broken grammar before the program starts.
    compiled: bool = False
    #: Files of a program need not name each other: a linker brings them together.
    linked: bool = False
    #: What warns of a program that can be run all the same: `python` (its own compiler), `gcc`.
    warned_by: str = ""
    #: Its values are of Python's own types, of which this interpreter can be asked.
    python_values: bool = False
    #: Types of nothing, with the words for it.
    nothings: dict[str, str] = {}
    #: Methods are picked by the types of all arguments: what a message calls those that have a sign of their own -> `index`,
    #: `member`, `loop`.
    calls_by_types: dict[str, str] = {}
    #: What a loop at the margin sets is the loop's own, whatever has that name around it.
    loops_own: bool = False
    #: Its programs do not end by themselves.
    stays_on: bool = False
    #: Its translated messages lie with it; else with the system's.
    own_catalogues: bool = False
    #: Its traces begin with a line that nothing else prints.
    headed: bool = False
    #: How two texts are asked whether they say the same, and whether not, where `==` asks whether they are one object.
    same_text: str = ""
    other_text: str = ""

    @property
    def raises_by(self) -> tuple[str, ...]:
        """Words of the line that raises, where a trace shows it."""
        return self.raises_with if self.raise_in_trace else ()


PYTHON = Traits(
    whole_tree=True,
    shared_defaults=frozenset(("[]", "{}", "set()")),
    names_places=True,
    missing_argument_fails=True,
    absent_member_fails=True,
    members_in_code=True,
    imports_anywhere=True,
    statement_end="",
    outermost_first=True,
    raises_with=("raise ",),
    raise_in_trace=True,
    native_unseen=True,
    headed=True,
    warned_by="python",
    python_values=True,
    nothings={"NoneType": "None"},
    libraries=tuple("numpy pandas matplotlib scipy sklearn seaborn openpyxl requests statsmodels sympy".split()),
    installs="python -m pip install {0}",
    modules_within=True,
    installed_as={
        "cv2": "opencv-python",
        "sklearn": "scikit-learn",
        "PIL": "pillow",
        "yaml": "pyyaml",
        "bs4": "beautifulsoup4",
        "dateutil": "python-dateutil",
        "skimage": "scikit-image",
        "serial": "pyserial",
        "dotenv": "python-dotenv",
    },
)
JAVASCRIPT = Traits(
    asked_when_hung=True,
    names_places=True,
    members_in_code=True,
    silent_without_return=True,
    relative_modules=True,
    installs="npm install {0}",
    imports_anywhere=True,
    raises_with=("throw ",),
    raise_in_trace=True,
)
#: Language or runtime -> its facts.
_TRAITS = {
    "python": PYTHON,
    "pypy": msgspec.structs.replace(PYTHON, names_places=False),
    "skulpt": msgspec.structs.replace(PYTHON, names_places=False, headed=False),
    "javascript": JAVASCRIPT,
    # what its compiler refuses has not run: nothing hangs, nothing is raised
    "typescript": msgspec.structs.replace(JAVASCRIPT, compiled=True, asked_when_hung=False, raise_in_trace=False),
    "java": Traits(
        compiled=True,
        counts_arguments=True,
        debugged=True,
        raises_with=("throw ",),
        raise_in_trace=True,
        same_text="{0}.equals({1})",
        other_text="!{0}.equals({1})",
    ),
    "c": Traits(
        translated=True,
        raises_with=("throw ",),
        compiled=True,
        counts_arguments=True,
        debugged=True,
        has_checkers=True,
        compiler_proposes=True,
        warned_by="gcc",
        linked=True,
        modules_by_file=True,
        same_text="strcmp({0}, {1}) == 0",
        other_text="strcmp({0}, {1}) != 0",
    ),
    "objective-c": Traits(compiled=True, sends_in_brackets=True, linked=True, debugged=True),
    "swift": Traits(compiled=True, linked=True, counts_arguments=True, heads_name_types=True),
    "julia": Traits(
        several_nothings=True,
        counts_arguments=True,
        first_place=1,
        unplaced_when_typed=True,
        gives_its_last=True,
        own_by_setting=True,
        calls_by_types={
            "getindex": "index",
            "setindex!": "index",
            "getproperty": "member",
            "setproperty!": "member",
            "iterate": "loop",
        },
        nothings={"Nothing": "nothing", "Missing": "missing"},
        loops_own=True,
        raises_with=("error(", "throw("),
        raise_in_trace=True,
        installs="julia -e 'import Pkg; Pkg.add(\"{0}\")'",
    ),
    "lua": Traits(
        silent_without_return=True,
        first_place=1,
        unplaced_when_typed=True,
        raises_with=("error(", "error ("),
        libraries=("lfs", "socket", "cjson", "lpeg"),
        installs="luarocks install {0}",
        modules_within=True,
    ),
    "octave": Traits(
        several_nothings=True,
        raises_with=("error(", "error ("),
        output_names=True,
        first_place=1,
        items_without_commas=True,
        libraries=tuple("statistics signal image control io optim struct symbolic".split()),
        installs="pkg install -forge {0}",
        asked_for_values=True,
    ),
    "r": Traits(
        several_nothings=True,
        raises_with=("stop(", "stop ("),
        first_place=1,
        columns_by_sign=True,
        columns_as_names=True,
        own_by_setting=True,
        libraries=tuple(
            "dplyr ggplot2 tidyr readr purrr tibble stringr lubridate readxl tidyverse data.table jsonlite zoo".split()
        ),
        installs='install.packages("{0}")',
        frames_by_call=True,
        asked_when_hung=True,
        own_catalogues=True,
        translated=True,
    ),
    "supercollider": Traits(linked=True, stays_on=True),
    "basic": Traits(linked=True, first_place=1, noted=True, asked_when_hung=True),
    "stata": Traits(linked=True, columns_as_names=True),
}
_USUAL = Traits()


def traits_of(runtime: str) -> Traits:
    """Return the facts of a language or runtime; the usual ones for one that is not known."""
    return _TRAITS.get(runtime, _USUAL)


def runtimes_that(trait: str) -> tuple[str, ...]:
    """Return the runtimes with a trait, by its name."""
    return tuple(runtime for runtime, traits in _TRAITS.items() if getattr(traits, trait))
