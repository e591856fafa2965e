// The catalogue, family P: the plan file.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array plan_rules{
    RuleEntry{
        RuleCode::P01, Severity::error, "the file is not TOML",
        "What stands at a syntax error cannot be read; the rest of the file is, so that all of "
        "it is told in one go. Common slips get a hint.",
        R"([line.north]
timeout = 500ms)",
        R"([line.north]
timeout = "500ms")",
        "Correct the spot; the message says what was expected there.", ""},
    RuleEntry{RuleCode::P02, Severity::error, "unknown key",
              "A misspelt key would otherwise be ignored, and its default taken in silence.",
              R"([line.north]
tiemout = "500ms")",
              R"([line.north]
timeout = "500ms")",
              "Write the key that the message suggests, or remove it.", ""},
    RuleEntry{
        RuleCode::P03, Severity::error, "unknown slave, line, controller, point, gateway or memory",
        "A name that nothing declares is a slip of the pen, or a declaration that was forgotten.",
        R"({ name = "in", slave = "gouge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Write the name that the message suggests, or declare it.", ""},
    RuleEntry{
        RuleCode::P04, Severity::error, "name used twice",
        "Two things of one name cannot be told apart by those who refer to them.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "in", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW20", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "limits", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW20", every = "1s", on_loss = "hold" })",
        "Rename one of the two.", ""},
    RuleEntry{
        RuleCode::P05, Severity::error, "value out of its range, without a unit, or not an address",
        "A number without its unit, or past its range, means something else to everybody who reads "
        "it.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = 1000, on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Write the value with its unit, and within the range that the message gives.", ""},
    RuleEntry{
        RuleCode::P06, Severity::error, "key missing that has no default",
        "What cannot be guessed safely must be written down.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Add the key that the message names.", ""},
    RuleEntry{RuleCode::P07, Severity::error, "register map or model cannot be used",
              "A map that is missing, empty or has bad rows leaves the slave's registers unknown.",
              R"(point,area,address,type
moisture,hr,0,f33)",
              R"(point,area,address,type
moisture,hr,0,f32)",
              "Correct the row that the message names.", ""},
    RuleEntry{
        RuleCode::P08, Severity::error, "neither `at` nor `points`, or both",
        "A transaction needs one statement of what it moves, and only one.",
        R"({ name = "in", slave = "gauge", fc = 3, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, points = ["moisture", "temp"], into = "%MW0", every = "1s", on_loss = "hold" })",
        "Write `at` and `count`, or `points`.", ""},
    RuleEntry{
        RuleCode::P09, Severity::warning, "an accept that silences nothing",
        "An acceptance that outlives its finding would hide the next one of its kind.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
[review]
accepts = [ { rule = "F11", at = "transaction in", why = "as it was" } ])",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Remove the accept, or correct its `rule` or `at`.", ""},
    RuleEntry{
        RuleCode::P10, Severity::note, "names that give the same file",
        "Exports, maps and figures are called after slaves and controllers, in letters, digits, - "
        "and _ "
        "alone, and many file systems take capitals for small letters. Of names that come to the "
        "same, all but the one that is spelt so get a number of their own.",
        R"([slave."pump 1"]
line = "north"
unit = 7
[slave.pump-1]
line = "north"
unit = 8)",
        R"([slave.pump-1]
line = "north"
unit = 7
[slave.pump-2]
line = "north"
unit = 8)",
        "Give them names that differ in letters, digits, - or _.", "", check_file_names},
    RuleEntry{
        RuleCode::P11, Severity::note, "one of alike slaves is not like the others",
        "Slaves with the same map are devices of one type: where all but one say the same, the one "
        "is a slip of typing more often than a device that is set otherwise. Slaves that are "
        "written once (`count`, `like`) differ only where that is said, and are left alone.",
        R"([slave.fan1]
line = "north"
unit = 1
map = "drive.csv"
word_order = "ABCD"
[slave.fan2]
line = "north"
unit = 2
map = "drive.csv"
word_order = "CDAB"
[slave.fan3]
line = "north"
unit = 3
map = "drive.csv"
word_order = "ABCD")",
        R"([slave.fan]
count = 3
line = "north"
unit = 1
map = "drive.csv"
word_order = "ABCD")",
        "Make it the same, or accept it where the device differs.", "", check_odd_ones},
};

}  // namespace

std::span<const RuleEntry> plan_entries() {
  return plan_rules;
}

}  // namespace greymet::checks::internal
