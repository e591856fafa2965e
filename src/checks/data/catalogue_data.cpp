// The catalogue, family D: data.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array data_rules{
    RuleEntry{RuleCode::D01, Severity::warning, "engineering range does not fit the type",
              "A value beyond what the type holds wraps round or sticks.",
              R"(point,area,address,type,factor,max
flow,hr,0,u16,0.1,9000)",
              R"(point,area,address,type,factor,max
flow,hr,0,u16,1,9000)",
              "Look up type and factor again.", "", check_maps, Needs::plan},
    RuleEntry{
        RuleCode::D02, Severity::warning, "word order of long values not stated",
        "Half of all devices send the words of a 32-bit value one way, half the other; a wrong "
        "guess gives a number that looks like noise.",
        R"({ name = "x", slave = "pump", fc = 3, at = 10, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"([slave.pump]
word_order = "ABCD"
{ name = "x", slave = "pump", fc = 3, at = 10, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Write word_order at the slave, or in the map's column.", "", check_data, Needs::plan},
    RuleEntry{RuleCode::D03, Severity::error, "bit number outside 0..15",
              "A register has 16 bits, numbered from the least significant one, 0.",
              R"(point,area,address,type,bit
ready,hr,0,bool,16)",
              R"(point,area,address,type,bit
ready,hr,0,bool,15)",
              "Count bits from 0.", ""},
    RuleEntry{
        RuleCode::D04, Severity::error, "text and quantity disagree",
        "Half of a text is another text.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 40, count = 3, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 40, count = 5, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Two characters to a register, rounded up.", "", check_addresses, Needs::plan},
    RuleEntry{RuleCode::D05, Severity::warning, "value passed on in another word order",
              "A value copied word by word keeps the order of where it came from.",
              R"([controller.loadout]
word_order = "ABCD"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[exchange]
copies = [ { controller = "kiln", from = "%MW0", to = "%MW100", count = 2 } ])",
              R"([controller.loadout]
word_order = "CDAB"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[exchange]
copies = [ { controller = "kiln", from = "%MW0", to = "%MW100", count = 2 } ])",
              "Swap the words in the program before they are passed on, or say `swap` where the "
              "controller does.",
              "", check_data, Needs::plan, RuleCodes{RuleCode::V02, RuleCode::V03}},
    RuleEntry{
        RuleCode::D06, Severity::warning, "value passed on as another quantity",
        "A copy moves bits, not meaning: another type, factor or unit at the destination makes it "
        "another number.",
        R"({ name = "in", slave = "gauge", fc = 3, at = "code", into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "out", slave = "pump", fc = 6, at = 0, from = "%MW100", every = "1s" }
[exchange]
copies = [ { controller = "kiln", from = "%MW0", to = "%MW100", count = 1 } ])",
        R"({ name = "in", slave = "gauge", fc = 3, at = "code", into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "out", slave = "pump", fc = 6, at = 1, from = "%MW100", every = "1s" }
[exchange]
copies = [ { controller = "kiln", from = "%MW0", to = "%MW100", count = 1 } ])",
        "Convert it in the program, or correct the map.", "", check_data, Needs::plan,
        RuleCodes{RuleCode::V02, RuleCode::V03, RuleCode::V04}},
    RuleEntry{
        RuleCode::D07, Severity::warning, "slave and controller take long values in other orders",
        "A float whose words come in the other order is still a number, only a wrong one. Where a "
        "table of tags says how each value is taken, V02 and V03 know better.",
        R"([controller.kiln]
word_order = "ABCD"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"([controller.kiln]
word_order = "ABCD"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold", swap = "ABCD" })",
        "Swap them on the way, or name the tags that take them as they come.", "", check_meanings,
        Needs::plan, RuleCodes{RuleCode::S04}},
    RuleEntry{
        RuleCode::D08, Severity::warning, "a command given again and again",
        "A reset, an acknowledgement or a tare that is written with every period is given with "
        "every period: the fault that it hides comes back unseen. Said of requests that write "
        "nothing else. One that only the start gives is rarely meant so either.",
        R"({ name = "out", slave = "gauge", fc = 6, at = "reset", from = "%MW0", every = "1s" })",
        R"({ name = "out", slave = "gauge", fc = 6, at = "reset", from = "%MW0", on = "%MX0", min_gap = "1s" })",
        "Give it once, on a bit of the program.", "", check_meanings, Needs::plan},
    RuleEntry{
        RuleCode::D09, Severity::warning, "memory that wears, written by the clock",
        "Setpoints of many devices are kept in an EEPROM that stands some 100,000 writes. Said "
        "where a map's column `wears` or its note tells it (EEPROM, flash, non-volatile, write "
        "cycles).",
        R"(point,area,address,type,access,note
limit,hr,10,u16,rw,kept in EEPROM

{ name = "out", slave = "gauge", fc = 6, at = 10, from = "%MW0", every = "1s" })",
        R"(point,area,address,type,access,note
limit,hr,10,u16,rw,

{ name = "out", slave = "gauge", fc = 6, at = 10, from = "%MW0", every = "1s" })",
        "Write it when it changes.", "", check_meanings, Needs::plan},
    RuleEntry{
        RuleCode::D10, Severity::warning, "one word sent as two quantities",
        "The same word of memory goes to two points that take it for different things: another "
        "type, factor, unit, or ranges that do not meet. One of them gets a value that is not its.",
        R"({ name = "one", slave = "pump", fc = 6, at = 0, from = "%MW0", every = "1s" }
{ name = "two", slave = "pump", fc = 6, at = 1, from = "%MW0", every = "1s" })",
        R"({ name = "one", slave = "pump", fc = 6, at = 0, from = "%MW0", every = "1s" }
{ name = "two", slave = "pump", fc = 6, at = 1, from = "%MW1", every = "1s" })",
        "Give each its own word.", "", check_meanings, Needs::plan,
        RuleCodes{RuleCode::V03, RuleCode::V09, RuleCode::F01, RuleCode::F02, RuleCode::F06,
                  RuleCode::F10, RuleCode::F13, RuleCode::M13}},
    RuleEntry{
        RuleCode::D11, Severity::error, "a value that is always sent, and is none or does not stay",
        "What `value` says is a constant of the program: it has to be a value of its point's type, "
        "within the range that the map states, and nothing else may put another one into the "
        "memory that is sent. A value for which the map's column `names` has no name is a warning.",
        R"(point,area,address,type,min,max
speed,hr,10,u16,0,50

{ name = "out", slave = "gauge", fc = 6, at = 10, from = "%MW0", every = "1s", value = 60 })",
        R"(point,area,address,type,min,max
speed,hr,10,u16,0,50

{ name = "out", slave = "gauge", fc = 6, at = 10, from = "%MW0", every = "1s", value = 45 })",
        "Correct the value, or leave `value` out where the program decides it.", "",
        check_constants, Needs::plan, RuleCodes{RuleCode::M07}},
};

}  // namespace

std::span<const RuleEntry> data_entries() {
  return data_rules;
}

}  // namespace greymet::checks::internal
