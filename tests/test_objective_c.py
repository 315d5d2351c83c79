"""Objective-C by its own tree: methods with their classes, fields, what is sent and with what, which values reach a use."""

from __future__ import annotations

import pytest

from jamkey.languages import language_of
from jamkey.languages.base import Code

HIVES = """#import <Foundation/Foundation.h>

@interface Hive : NSObject
{
    NSString *name;
    NSMutableArray *weights;
}
- (id)initWithName:(NSString *)aName;
- (void)add:(double)kilos onDay:(int)day;
- (double)gain;
+ (Hive *)called:(NSString *)name;
@end

@implementation Hive
- (id)initWithName:(NSString *)aName
{
    if ((self = [super init])) {
        name = [aName retain];
        weights = [[NSMutableArray alloc] init];
    }
    return self;
}
- (void)add:(double)kilos onDay:(int)day
{
    [weights addObject:[NSNumber numberWithDouble:kilos]];
}
- (double)gain
{
    NSUInteger count = [weights count];
    double sum = 0;
    for (NSUInteger i = 0; i <= count; i++) {
        sum = sum + [[weights objectAtIndex:i] doubleValue];
    }
    for (NSNumber *weight in weights)
        sum -= [weight doubleValue];
    return sum;
}
+ (Hive *)called:(NSString *)name
{
    return [[Hive alloc] initWithName:name];
}
@end

static double total(NSArray *hives)
{
    double all = 0;
    for (Hive *hive in hives)
        all += [hive gain];
    return all;
}

int main(void)
{
    Hive *oak = [Hive called:@"oak"];
    [oak add:30.5 onDay:3];
    NSLog(@"%f", total([NSArray arrayWithObject:oak]));
    return 0;
}
"""
ROWS = HIVES.split("\n")


def line(text: str, nth: int = 1) -> int:
    return [number for number, row in enumerate(ROWS, 1) if text in row][nth - 1]


@pytest.fixture(scope="module")
def code() -> Code:
    language = language_of("hives.m", "objective-c")
    assert language is not None and language.name == "objective-c"
    found = language.code(HIVES)
    assert found.whole or found.functions()
    return found


def test_methods_belong_to_their_class_and_heads_are_none(code: Code) -> None:
    assert [(function.qualified, function.span.line) for function in code.functions()] == [
        ("Hive.initWithName", line("initWithName:(NSString *)aName", 2)),
        ("Hive.add", line("- (void)add", 2)),
        ("Hive.gain", line("- (double)gain", 2)),
        ("Hive.called", line("+ (Hive *)called", 2)),
        ("total", line("static double total")),
        ("main", line("int main")),
    ]


@pytest.mark.parametrize(
    ("name", "parameters"),
    [("initWithName", ["aName"]), ("add", ["kilos", "day"]), ("gain", []), ("called", ["name"]), ("total", ["hives"])],
)
def test_parameters(name: str, parameters: list[str], code: Code) -> None:
    (function,) = code.functions(name)
    assert [param.name for param in function.params] == parameters


def test_fields_are_members(code: Code) -> None:
    assert {item.name for item in code.definitions() if item.sort == "member"} == {"name", "weights"}


@pytest.mark.parametrize(
    ("name", "at", "defined"),
    [
        ("count", "i <= count", ["NSUInteger count"]),
        ("i", "objectAtIndex:i", ["NSUInteger i = 0"]),
        ("sum", "return sum", ["sum -= ", "sum = sum +", "double sum = 0"]),
        ("kilos", "numberWithDouble:kilos", ["add:(double)kilos onDay:(int)day"]),
        ("oak", "[oak add:30.5", ["Hive *oak"]),
        ("aName", "[aName retain]", ["initWithName:(NSString *)aName"]),
        ("hives", "for (Hive *hive in hives)", ["total(NSArray *hives)"]),
    ],
)
def test_what_reaches_a_use(name: str, at: str, defined: list[str], code: Code) -> None:
    found = {item.span.line for item in code.reaching(name, line(at))}
    assert found <= {number for text in defined for number, row in enumerate(ROWS, 1) if text in row}
    assert found


@pytest.mark.parametrize(
    ("name", "sent"),
    [
        ("addObject", [["[NSNumber numberWithDouble:kilos]"]]),
        ("numberWithDouble", [["kilos"]]),
        ("objectAtIndex", [["i"]]),
        ("add", [["30.5", "3"]]),
        ("initWithName", [["name"]]),
        ("total", [["[NSArray arrayWithObject:oak]"]]),
        ("gain", [[]]),
    ],
)
def test_what_is_sent(name: str, sent: list[list[str]], code: Code) -> None:
    assert [[part.source for _, part in call.arguments] for call in code.calls(name)] == sent


@pytest.mark.parametrize(
    ("at", "scope"), [("[weights count]", "Hive.gain"), ("[aName retain]", "Hive.initWithName"), ("all += ", "total")]
)
def test_scopes(at: str, scope: str, code: Code) -> None:
    assert code.scope_at(line(at)) == scope


def test_what_methods_give_back(code: Code) -> None:
    given = {function.name: [part.source for _, part in function.returns if part is not None] for function in code.functions()}
    assert given["gain"] == ["sum"]
    assert given["called"] == ["[[Hive alloc] initWithName:name]"]
    assert given["initWithName"] == ["self"]


def test_loops_with_what_they_run_over(code: Code) -> None:
    assert [loop.span.line for loop in code.loops(line("objectAtIndex:i"))] == [line("i <= count")]
    assert [loop.span.line for loop in code.loops(line("all += "))] == [line("Hive *hive in hives")]


@pytest.mark.parametrize("cut", range(0, len(HIVES), 97))
def test_cut_off_text_is_read_as_far_as_it_goes(cut: int) -> None:
    language = language_of("hives.m", "objective-c")
    assert language is not None
    found = language.code(HIVES[:cut])
    for number in range(1, HIVES[:cut].count("\n") + 2):
        found.statement(number)
        found.scope_at(number)
    for item in found.definitions():
        assert item.name in HIVES[:cut]
