// The catalogue, family M: memory and overlaps.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array memory_rules{
    RuleEntry{
        RuleCode::M01,
        Severity::error,
        "two reads into overlapping memory",
        "The later one overwrites the earlier one, and the program sees both in turn.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "limits", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW6", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "limits", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW8", every = "1s", on_loss = "hold" })",
        "Move one of them; `greymet memory` shows what is free.",
        "",
        check_memory,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::S04}},
    RuleEntry{
        RuleCode::M02,
        Severity::error,
        "a read lands on what another transaction sends",
        "The read overwrites the value before it is sent: it always goes back.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "out", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW6", every = "1s" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "out", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW20", every = "1s" })",
        "Read into other words, or say relays = true at the write.",
        "",
        check_memory,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::S04}},
    RuleEntry{
        RuleCode::M03,
        Severity::error,
        "outside the memory area, or no such area",
        "The controller refuses the configuration, or writes where nobody expects it.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW998", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Choose a range inside the area, or enlarge the area.",
        "",
        nullptr,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::S04}},
    RuleEntry{
        RuleCode::M04, Severity::error, "one register written by two",
        "The last writer wins, and who that is changes all the time. A warning where both belong "
        "to one master, a note where one is an operator's request inside a cyclic block, or both "
        "are masked writes.",
        R"({ name = "a", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW0", every = "1s" }
{ name = "b", slave = "gauge", fc = 16, at = 11, count = 2, from = "%MW10", every = "1s" })",
        R"({ name = "a", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW0", every = "1s" }
{ name = "b", slave = "gauge", fc = 16, at = 12, count = 2, from = "%MW10", every = "1s" })",
        "Let one transaction write each register.", "", check_device_memory, Needs::plan},
    RuleEntry{
        RuleCode::M05, Severity::note, "the same register read twice by one master",
        "The second read costs line time and brings nothing new.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "again", slave = "gauge", fc = 3, at = 4, count = 4, into = "%MW20", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Read it once; let the program copy it where it is wanted twice.", "", check_device_memory,
        Needs::plan},
    RuleEntry{
        RuleCode::M06,
        Severity::error,
        "status, heartbeat bits or the fingerprint overlap other data",
        "A status bit inside data changes the data, and the data the status.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", status = { exception = "%MW3" }, every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", status = { exception = "%MW90" }, every = "1s", on_loss = "hold" })",
        "Put status bits and words where nothing else is.",
        "",
        check_memory,
        Needs::plan,
        {RuleCode::F02, RuleCode::F06, RuleCode::S04}},
    RuleEntry{
        RuleCode::M07,
        Severity::error,
        "bits into words, or the reverse, without packing",
        "Without stating how, each controller packs bits in its own way.",
        R"({ name = "bits", slave = "gauge", fc = 1, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"({ name = "bits", slave = "gauge", fc = 1, at = 0, count = 2, into = "%MW0", packing = "bits-to-words", every = "1s", on_loss = "hold" })",
        "Use a bit area, or say how bits are packed.",
        "",
        check_packing,
        Needs::plan,
        {RuleCode::S04, RuleCode::V09}},
    RuleEntry{RuleCode::M08,
              Severity::error,
              "32-bit value at an odd word",
              "This controller model reads 32-bit values at even words only.",
              R"([controller.kiln]
model = "small.toml"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW1", every = "1s", on_loss = "hold" })",
              R"([controller.kiln]
model = "small.toml"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              "Move the block by one word.",
              "",
              check_packing,
              Needs::plan,
              {RuleCode::F10, RuleCode::F13, RuleCode::V01, RuleCode::V09}},
    RuleEntry{
        RuleCode::M09, Severity::warning, "one value fetched by two requests",
        "Between the two requests the value may change: the halves do not belong together.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 3, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "rest", slave = "gauge", fc = 3, at = 3, count = 5, into = "%MW10", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "rest", slave = "gauge", fc = 3, at = 4, count = 4, into = "%MW10", every = "1s", on_loss = "hold" })",
        "Move the edge so that one request reads the whole value.", "", check_addresses,
        Needs::plan},
    RuleEntry{
        RuleCode::M10, Severity::warning, "memory that a peer writes and an own read fills as well",
        "Whoever comes last wins: peer and read overwrite each other.",
        R"([controller.kiln]
answers = [ { port = 502 } ]
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "push", controller = "loadout", slave = "kiln", fc = 16, at = "%MW4", count = 2, from = "%MW0", every = "1s" })",
        R"([controller.kiln]
answers = [ { port = 502 } ]
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "push", controller = "loadout", slave = "kiln", fc = 16, at = "%MW40", count = 2, from = "%MW0", every = "1s" })",
        "Keep what peers write apart from what own reads fill.", "", check_memory, Needs::plan},
    RuleEntry{
        RuleCode::M11, Severity::warning, "a copy that spoils or carries nothing",
        "Two copies onto one place, a copy onto what a read fills, half of a value, or words that "
        "nobody fills: what arrives is not what was meant.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
[exchange]
copies = [ { controller = "kiln", from = "%MW1", to = "%MW100", count = 2 } ])",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
[exchange]
copies = [ { controller = "kiln", from = "%MW0", to = "%MW100", count = 2 } ])",
        "Copy whole values that arrive, to words of their own.", "", check_copies, Needs::plan,
        RuleCodes{RuleCode::V02}},
    RuleEntry{
        RuleCode::M12, Severity::error, "a transaction commanded by what it should not be",
        "A status bit that starts another transaction couples two devices in a way nobody sees in "
        "the program. A warning where a read or a copy fills the trigger or gate: then the field "
        "decides what is sent; relays = true says that this is meant.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold", status = { done = "%MX3" } }
{ name = "out", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW20", on = "%MX3", min_gap = "1s" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold", status = { done = "%MX3" } }
{ name = "out", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW20", on = "%MX4", min_gap = "1s" })",
        "Let the program set a bit of its own.", "", check_memory, Needs::plan},
    RuleEntry{
        RuleCode::M13, Severity::warning, "two writes send parts of the same words",
        "The same words sent twice are meant; words of which one write sends the end and another "
        "the begin are a block that was moved or is too long.",
        R"({ name = "a", slave = "gauge", fc = 16, at = 10, count = 4, from = "%MW20", every = "1s" }
{ name = "b", slave = "pump", fc = 16, at = 0, count = 2, from = "%MW23", every = "1s" })",
        R"({ name = "a", slave = "gauge", fc = 16, at = 10, count = 4, from = "%MW20", every = "1s" }
{ name = "b", slave = "pump", fc = 16, at = 0, count = 2, from = "%MW24", every = "1s" })",
        "Give each its own words, or say relays = true where one shall send a part.", "",
        check_copies, Needs::plan},
    RuleEntry{
        RuleCode::M14, Severity::warning, "a write sends registers that it does not name",
        "One request writes all registers from its first to its last point. What lies between gets "
        "whatever the program's words hold. A note where the plan sets all of them elsewhere too.",
        R"({ name = "out", slave = "gauge", points = ["low", "mode"], from = "%MW20", every = "1s" })",
        R"({ name = "out", slave = "gauge", points = ["low", "high", "mode"], from = "%MW20", every = "1s" })",
        "Name them, or write the points with requests of their own.", "", check_copies,
        Needs::plan},
    RuleEntry{
        RuleCode::M15, Severity::warning, "words of a peer that are written and read back",
        "Each direction needs words of its own: what one master writes and reads again brings "
        "nothing of the peer, or races with it.",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 10, from = "%MW100", every = "1s" }
{ name = "of", controller = "kiln", slave = "loadout", fc = 3, at = "%MW5", count = 10, into = "%MW200", every = "1s", on_loss = "hold" })",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 10, from = "%MW100", every = "1s" }
{ name = "of", controller = "kiln", slave = "loadout", fc = 3, at = "%MW10", count = 10, into = "%MW200", every = "1s", on_loss = "hold" })",
        "Give each direction its own words.", "", check_peer_words, Needs::plan},
};

}  // namespace

std::span<const RuleEntry> memory_entries() {
  return memory_rules;
}

}  // namespace greymet::checks::internal
