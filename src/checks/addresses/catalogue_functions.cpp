// The catalogue, family F: function codes and addresses.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array functions_rules{
    RuleEntry{
        RuleCode::F01, Severity::error, "function code and area disagree, or its direction",
        "Each function reaches one area only, and reads it or writes it; the wrong one moves other "
        "data or is refused. A reading function with `from` alone, or a writing one with `into`, "
        "contradicts itself: what else the row says is then not looked at.",
        R"({ name = "in", slave = "gauge", fc = 4, at = "40001", count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = "40001", count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Use the function that reaches this area, or the address in the area of this function.",
        "V1.1b3 6", check_functions, Needs::plan},
    RuleEntry{
        RuleCode::F02, Severity::error, "more than one request may carry",
        "A longer request is refused with exception 03, or not answered at all.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 140, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Split the block as the message writes out.", "V1.1b3 6", check_functions, Needs::plan},
    RuleEntry{
        RuleCode::F03, Severity::error, "block runs past address 65535",
        "Addresses have 16 bits; there is nothing behind the last one.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 65530, count = 10, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 30, count = 1, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Look the address up again.", "V1.1b3 4.4", check_functions, Needs::plan},
    RuleEntry{RuleCode::F04,
              Severity::error,
              "function that the slave does not have",
              "The slave would answer exception 01.",
              R"([slave.gauge]
functions = [4, 6]
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              R"([slave.gauge]
functions = [3, 4, 6]
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              "Use a function that the slave has.",
              "V1.1b3 7",
              check_functions,
              Needs::plan,
              {RuleCode::F01, RuleCode::V09}},
    RuleEntry{RuleCode::F05, Severity::error, "function not available on this controller model",
              "The controller cannot send what its model does not offer.",
              R"([controller.kiln]
model = "small.toml"
{ name = "trim", slave = "gauge", fc = 22, at = 12, from = "%MW0", every = "1s" })",
              R"([controller.kiln]
model = "small.toml"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              "Use a function that the controller's model has.", "", check_functions, Needs::plan},
    RuleEntry{
        RuleCode::F06, Severity::error, "single write with a quantity other than 1",
        "Functions 5, 6 and 22 write exactly one coil or register.",
        R"({ name = "out", slave = "gauge", fc = 6, at = 10, count = 2, from = "%MW0", every = "1s" })",
        R"({ name = "out", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW0", every = "1s" })",
        "Use function 15 or 16 for more than one.", "V1.1b3 6.5, 6.6, 6.16", check_functions,
        Needs::plan},
    RuleEntry{
        RuleCode::F07,
        Severity::error,
        "write to a read-only point",
        "The slave refuses the write, or ignores it without a word.",
        R"({ name = "out", slave = "gauge", fc = 6, at = "serial", from = "%MW0", every = "1s" })",
        R"({ name = "out", slave = "gauge", fc = 6, at = "low", from = "%MW0", every = "1s" })",
        "Write only points with access w or rw.",
        "",
        check_functions,
        Needs::plan,
        {RuleCode::V09}},
    RuleEntry{
        RuleCode::F08,
        Severity::error,
        "read of a write-only point",
        "What comes back is undefined, or the whole request is refused.",
        R"({ name = "in", slave = "gauge", fc = 3, at = "reset", into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = "low", into = "%MW0", every = "1s", on_loss = "hold" })",
        "Read only points with access r or rw.",
        "",
        check_functions,
        Needs::plan,
        {RuleCode::V09}},
    RuleEntry{
        RuleCode::F09,
        Severity::error,
        "block covers registers that the map does not list",
        "Many slaves refuse a whole request for one blank register. An error where holes = refuse, "
        "a warning or a note where the map lists all, silent where it lists only some.",
        R"([slave.gauge]
holes = "refuse"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 14, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"([slave.gauge]
holes = "refuse"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Split the block at the hole, as the message writes out.",
        "V1.1b3 7",
        check_addresses,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::F04, RuleCode::V09, RuleCode::F17}},
    RuleEntry{
        RuleCode::F10,
        Severity::warning,
        "block looks off by one",
        "Manuals count from 0 or from 1; taking one for the other shifts every value.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 9, count = 4, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Correct the address by one, or the slave's `numbering` if all are off.",
        "V1.1b3 4.4",
        check_addresses,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::F04}},
    RuleEntry{
        RuleCode::F11,
        Severity::warning,
        "fence-post: one register too many, or too few",
        "Registers 0..69 are 70 registers. One too many has the severity of a hole; one too few is "
        "a note.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 9, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Count again: first to last, both included.",
        "",
        check_addresses,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::F04, RuleCode::V01, RuleCode::V09}},
    RuleEntry{
        RuleCode::F12,
        Severity::error,
        "a value is cut at the edge of the block",
        "Half of a 32-bit value is a wrong number, not half of the value.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 3, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Move the edge of the block so that the whole value is inside.",
        "",
        check_addresses,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::F04, RuleCode::D04, RuleCode::V09}},
    RuleEntry{
        RuleCode::F13,
        Severity::warning,
        "plain number looks like a reference, or like hex typed as decimal",
        "40014 as a protocol address is not what a manual means by 40014.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 40011, count = 4, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = "40011", count = 4, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Write references as text in quotes, hexadecimal numbers with 0x.",
        "V1.1b3 4.4",
        check_addresses,
        Needs::plan,
        {RuleCode::F04}},
    RuleEntry{
        RuleCode::F14, Severity::note, "function 23 reads what it has just written",
        "Function 23 writes first: overlapping parts read back the new values.",
        R"({ name = "trim", slave = "gauge", fc = 23, read = { at = 10, count = 4, into = "%MW0" }, write = { at = 12, count = 2, from = "%MW10" }, every = "1s", on_loss = "hold" })",
        R"({ name = "trim", slave = "gauge", fc = 23, read = { at = 0, count = 4, into = "%MW0" }, write = { at = 12, count = 2, from = "%MW10" }, every = "1s", on_loss = "hold" })",
        "Nothing to cure if the read shall see what was written; otherwise read other registers.",
        "V1.1b3 6.17", check_functions, Needs::plan},
    RuleEntry{
        RuleCode::F15,
        Severity::warning,
        "a block that touches nothing its slave's map lists",
        "A map need not be complete, but of what is asked for it lists something: else the "
        "address, "
        "the function or the slave is another's. What fits is named where something does.",
        R"({ name = "in", slave = "pump", fc = 3, at = 200, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Correct the address, the function or the slave; or list what is asked for in the map.",
        "",
        check_addresses,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::F04, RuleCode::R07, RuleCode::V09, RuleCode::F17}},
    RuleEntry{
        RuleCode::F16,
        Severity::warning,
        "a block that runs past the points of its slave's map",
        "What is written beyond the points that anybody has listed changes something nobody knows; "
        "what is read far beyond them is a count with a slip in it.",
        R"({ name = "in", slave = "pump", fc = 3, at = 0, count = 40, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Correct the count, or list what is asked for in the map.",
        "",
        check_addresses,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::F04, RuleCode::R07, RuleCode::V09, RuleCode::F17}},
    RuleEntry{
        RuleCode::F17,
        Severity::warning,
        "a number that looks like a reference",
        "Without quotes 40101 is an offset, \"40101\" a reference: holding register 101. The one "
        "beside the other in requests to one slave is mostly a pair of quotes forgotten. A note "
        "where the plan says how the slave counts and all its requests are written so; silent "
        "where its map lists the offset.",
        R"([slave.meter]
host = "10.20.0.39"
{ name = "in", slave = "meter", fc = 3, at = 40301, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"([slave.meter]
host = "10.20.0.39"
{ name = "in", slave = "meter", fc = 3, at = "40301", count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Quote references; say numbering = \"from-0\" at a slave with offsets as high as that.",
        "",
        check_references,
        Needs::plan,
        {RuleCode::R07, RuleCode::P05, RuleCode::F13, RuleCode::F10}},
    RuleEntry{
        RuleCode::F18,
        Severity::error,
        "a point is written with a function it does not take",
        "Some devices take single writes alone for a register, or several at a time alone, and "
        "answer "
        "the other function with an exception. Where the manual says so, it stands in the map "
        "(`write_fc`).",
        R"([slave.drive]
host = "10.20.0.39"
map = "drive.csv"
{ name = "go", slave = "drive", fc = 16, at = "command", count = 1, from = "%MW0", every = "1s" })",
        R"([slave.drive]
host = "10.20.0.39"
map = "drive.csv"
{ name = "go", slave = "drive", fc = 6, at = "command", from = "%MW0", every = "1s" })",
        "Use a function that the map names for the point.",
        "",
        check_write_functions,
        Needs::plan,
        {RuleCode::F02, RuleCode::F10}},
};

}  // namespace

std::span<const RuleEntry> functions_entries() {
  return functions_rules;
}

}  // namespace greymet::checks::internal
