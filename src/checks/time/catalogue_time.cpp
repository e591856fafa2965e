// The catalogue, family T: time.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array time_rules{
    RuleEntry{
        RuleCode::T01, Severity::error, "line used beyond its time",
        "What needs more than 100 % of the time never gets done; above 80 % (a warning) one "
        "failure upsets everything. A transaction faster than its program (T05) is the cause where "
        "there is one.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "40ms", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Longer periods, fewer or longer requests, a higher baud, or another line.", "",
        check_times, Needs::timing},
    RuleEntry{
        RuleCode::T02,
        Severity::error,
        "period missed, or not guaranteed",
        "An error where releases are lost although all slaves are well; a warning where that needs "
        "requests as often as `min_gap` allows, and where the bound "
        "on its response exceeds the period.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "70ms", on_loss = "hold" }
{ name = "slow", slave = "pump", fc = 3, at = 0, count = 100, into = "%MW100", every = "10s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "slow", slave = "pump", fc = 3, at = 0, count = 100, into = "%MW100", every = "10s", on_loss = "hold" })",
        "A period that the bound allows, or shorter requests beside it.",
        "",
        check_times,
        Needs::timing,
        {RuleCode::S09}},
    RuleEntry{
        RuleCode::T03,
        Severity::error,
        "timeout shorter than the longest reply",
        "A slow but healthy answer is thrown away, asked for again, and meets the next "
        "request: on a line it is taken for the reply of whoever is asked by then. Counted from "
        "the end of the request to the last byte of the reply (`timeout_to`: or the first).",
        R"([line.north]
timeout = "30ms"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"([line.north]
timeout = "200ms"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "A timeout that the slowest healthy answer meets.",
        "V1.02 2.4.1",
        check_times,
        Needs::timing,
        {RuleCode::S09}},
    RuleEntry{
        RuleCode::T04, Severity::warning, "one silent slave stalls the others",
        "Each failed request takes (1 + retries) timeouts, and all others on the line wait. "
        "A note where only the first stall is too long, before the slave is parked, and no longer "
        "than three periods.",
        R"([line.north]
timeout = "2s"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "1s", on_loss = "hold" })",
        R"([line.north]
timeout = "200ms"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "1s", on_loss = "hold" })",
        "A shorter timeout, fewer retries, or `park`.", "V1.02 2.4.1", check_stalls, Needs::timing},
    RuleEntry{
        RuleCode::T05, Severity::error, "period shorter than the scan",
        "The program cannot start a transaction more often than it runs. A period that is no "
        "multiple of the model's step is a warning: the controller rounds it.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "5ms", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "A period of at least one scan, in steps of the model.", "", check_times, Needs::timing},
    RuleEntry{
        RuleCode::T06,
        Severity::note,
        "releases coincide",
        "Transactions released at the same instant wait for each other for nothing; other phases "
        "cost nothing and shorten the wait.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "1s", phase = "500ms", on_loss = "hold" })",
        "The phases that the message proposes.",
        "",
        check_phases,
        Needs::timing,
        {RuleCode::S09}},
    RuleEntry{
        RuleCode::T07, Severity::warning, "tries take longer than the period",
        "A slave that is silent is then asked at the pace of its timeouts, not of its period: a "
        "note, but where they take a minute and a hundred periods.",
        R"([line.north]
timeout = "800ms"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"([line.north]
timeout = "200ms"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "A shorter timeout, or accept it.", "", check_times, Needs::timing},
    RuleEntry{
        RuleCode::T08, Severity::warning, "a continuous transaction starves or is starved",
        "It runs whenever nothing else waits: each run may delay a cyclic transaction, and a busy "
        "line may never let it run.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "90ms", on_loss = "hold" }
{ name = "sweep", slave = "pump", fc = 3, at = 0, count = 40, into = "%MW100", every = "continuous", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "sweep", slave = "pump", fc = 3, at = 0, count = 40, into = "%MW100", every = "continuous", on_loss = "hold" })",
        "Give it a period, or fewer registers.", "", check_stalls, Needs::timing},
    RuleEntry{
        RuleCode::T09, Severity::warning, "a gateway's line shared by several masters",
        "Masters know nothing of each other: each request may first wait for one of every other "
        "master. A note where several masters ask one slave on TCP.",
        R"({ name = "a", slave = "weather", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "5s", on_loss = "hold" }
{ name = "b", slave = "weather", controller = "loadout", fc = 3, at = 0, count = 2, into = "%MW0", every = "5s", on_loss = "hold" })",
        R"({ name = "a", slave = "weather", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "5s", on_loss = "hold" })",
        "Let one master read and pass the values on, or accept the cost.", "", check_stalls,
        Needs::timing},
    RuleEntry{
        RuleCode::T10, Severity::note, "simulated in part",
        "Where periods meet again only after a long time, or what can happen does not repeat, the "
        "simulation shows what it saw, not all there is; the bounds hold all the same.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "997ms", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "1009ms", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "2s", phase = "500ms", on_loss = "hold" })",
        "Rely on the bounds, or choose periods that divide each other.", "", check_times,
        Needs::timing},
    RuleEntry{
        RuleCode::T11, Severity::error, "value older than its path allows",
        "A value on its way waits for periods, scans and lines. An error where the simulation "
        "shows it older than the budget, a warning where only the bound does.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
[supervision]
paths = [ { name = "moisture", from = "gauge.moisture", to = "kiln.%MW0", budget = "500ms" } ])",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
[supervision]
paths = [ { name = "moisture", from = "gauge.moisture", to = "kiln.%MW0", budget = "2s" } ])",
        "A shorter period at the slowest step, or a larger budget.", "", check_paths,
        Needs::timing},
    RuleEntry{
        RuleCode::T12, Severity::error, "path that is not closed",
        "The value never arrives, or arrives whenever somebody asks: a transaction or a copy is "
        "missing. A warning where every step is there and one of them has no period.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
[supervision]
paths = [ { name = "moisture", from = "gauge.moisture", to = "kiln.%MW40", budget = "2s" } ])",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
[supervision]
paths = [ { name = "moisture", from = "gauge.moisture", to = "kiln.%MW0", budget = "2s" } ])",
        "Add the step that the message names.", "", check_paths, Needs::timing,
        RuleCodes{RuleCode::V01, RuleCode::V02}},
    RuleEntry{
        RuleCode::T13, Severity::warning, "parked slaves are tried too often",
        "`park` is there to keep a dead slave from taking the line. Tried again sooner than its "
        "tries take, or than one round of the line, it takes it all the same.",
        R"([line.north]
park = { after = 3, retry = "200ms" }
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"([line.north]
park = { after = 3, retry = "10s" }
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "A longer retry.", "", check_parking, Needs::timing},
    RuleEntry{
        RuleCode::T14, Severity::warning, "a period a thousand times its neighbours'",
        "500s where 500ms was meant is a value that is never fresh, and nothing else is wrong with "
        "it. Said where the same number of milliseconds would be one period among the others.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "500s", on_loss = "hold" }
{ name = "low", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW20", every = "500ms", on_loss = "hold" }
{ name = "raw", slave = "gauge", fc = 4, at = 0, count = 4, into = "%MW40", every = "1s", on_loss = "hold" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "500ms", on_loss = "hold" }
{ name = "low", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW20", every = "500ms", on_loss = "hold" }
{ name = "raw", slave = "gauge", fc = 4, at = 0, count = 4, into = "%MW40", every = "1s", on_loss = "hold" })",
        "Write the unit that is meant, or accept it.", "", check_scales, Needs::plan},
};

}  // namespace

std::span<const RuleEntry> time_entries() {
  return time_rules;
}

}  // namespace greymet::checks::internal
