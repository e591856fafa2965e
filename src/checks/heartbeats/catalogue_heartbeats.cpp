// The catalogue, family H: heartbeats and supervision.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array heartbeats_rules{
    RuleEntry{
        RuleCode::H01, Severity::warning, "data without a heartbeat",
        "Stale data look like good data. Whoever takes data needs to know that the other program "
        "still runs.",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" })",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        "Add a heartbeat in the direction of the data; the message proposes one.", "",
        check_heartbeats, Needs::timing},
    RuleEntry{
        RuleCode::H02, Severity::error, "no transaction carries the heartbeat",
        "A bit that never reaches the other controller watches nothing.",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW102.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW101.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        "Name a bit that a transaction carries, or lengthen the transaction.", "", check_heartbeats,
        Needs::timing},
    RuleEntry{
        RuleCode::H03, Severity::error, "heartbeat faster than it is carried",
        "A toggle that is undone before it is carried was never seen. An error where that happens "
        "even with all well, a warning where it is only not excluded.",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "1s" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "500ms", to = "loadout", watch = "2s", react = "5s", on_loss = "alarm" } ])",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "500ms", to = "loadout", watch = "2s", react = "5s", on_loss = "alarm" } ])",
        "A slower toggle, or a quicker transaction.", "", check_heartbeats, Needs::timing},
    RuleEntry{
        RuleCode::H04, Severity::error, "watch shorter than the heartbeat needs",
        "The alarm comes although all is well, until somebody switches it off. `lost` says how "
        "many "
        "failed tries it is to stand between two changes that are seen.",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "900ms", react = "3s", on_loss = "alarm" } ])",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        "A watch between the two numbers of the message.", "", check_heartbeats, Needs::timing},
    RuleEntry{
        RuleCode::H05, Severity::error, "loss noticed too late",
        "The plant needs the reaction by then.",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2900ms", react = "3s", on_loss = "alarm" } ])",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        "A watch between the two numbers of the message.", "", check_heartbeats, Needs::timing},
    RuleEntry{
        RuleCode::H06, Severity::error, "no watch is both safe and quick enough",
        "The heartbeat is too slow for the reaction it is meant to trigger; only a quicker one, or "
        "more patience, helps.",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "900ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "2s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        "A quicker transaction, a quicker toggle, or a longer react.", "", check_heartbeats,
        Needs::timing},
    RuleEntry{RuleCode::H07, Severity::error, "slave's own watchdog runs out",
              "The slave falls back to its safe state although the master is well.",
              R"([slave.gauge]
watchdog = "1s"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              R"([slave.gauge]
watchdog = "3s"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              "Ask more often, or lengthen the slave's watchdog.", "", check_watchdogs,
              Needs::timing},
    RuleEntry{
        RuleCode::H08, Severity::warning, "read data without a reaction to loss",
        "What was read last stays in memory for ever when the slave is gone.",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s" })",
        R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "Say what the program does: hold, zero, alarm, warn, stop or none.", "", check_on_loss,
        Needs::plan},
    RuleEntry{
        RuleCode::H09, Severity::warning, "heartbeat carried on request only",
        "Nothing triggers the transaction when the program that should trigger it stands still.",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", on = "change", min_gap = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        "Carry it with a cyclic transaction.", "", check_heartbeats, Needs::timing},
    RuleEntry{
        RuleCode::H10,
        Severity::error,
        "heartbeat carried only while a gate is open",
        "When the bit of `only_if` is taken away the partner sees a dead controller, although both "
        "programs run.",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms", only_if = "%MX1" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW100", every = "100ms" }
[supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" } ])",
        "Carry it with a cyclic transaction that always runs.",
        "",
        check_heartbeat_bits,
        Needs::plan,
        {RuleCode::M06}},
    RuleEntry{
        RuleCode::H11, Severity::warning, "watchdog survives health but not one silent neighbour",
        "While one slave of the line is silent all others are asked later. A watchdog that runs "
        "out then stops a machine that has nothing to do with it.",
        R"([slave.gauge]
watchdog = "1500ms"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "2s", on_loss = "hold" })",
        R"([slave.gauge]
watchdog = "4s"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "2s", on_loss = "hold" })",
        "A longer watchdog, or a shorter timeout or fewer retries on the line.", "",
        check_watchdogs, Needs::timing},
    RuleEntry{
        RuleCode::H12, Severity::warning, "what must be known is held when it is lost",
        "An emergency stop, a flame or an interlock that keeps its last value while nobody hears "
        "of it lets the machine go on. Said of points whose names tell it.",
        R"(point,area,address,type
flame_on,di,0,bool

{ name = "in", slave = "gauge", fc = 2, at = 0, count = 1, into = "%MX0", every = "1s", on_loss = "hold" })",
        R"(point,area,address,type
flame_on,di,0,bool

{ name = "in", slave = "gauge", fc = 2, at = 0, count = 1, into = "%MX0", every = "1s", on_loss = "stop" })",
        "Stop or alarm when it is lost.", "", check_meanings, Needs::plan},
    RuleEntry{
        RuleCode::H13, Severity::warning, "a heartbeat whose loss does nothing",
        "It is toggled, carried and watched, and nobody does anything when it stops: the plant "
        "believes that it is supervised.",
        R"([supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW90.0", toggle = "1s", to = "loadout", watch = "3s", react = "5s", on_loss = "none" } ])",
        R"([supervision]
heartbeats = [ { name = "alive", from = "kiln", bit = "%MW90.0", toggle = "1s", to = "loadout", watch = "3s", react = "5s", on_loss = "alarm" } ])",
        "Say what happens: on_loss = \"stop\" or \"alarm\".", "", check_idle_heartbeats,
        Needs::plan},
    RuleEntry{
        RuleCode::H14, Severity::note, "one read of a slave that is lost otherwise",
        "A slave is lost as a whole. Where all its reads but one are held, and that one is zeroed, "
        "the program sees half a machine. Reactions that all keep the values, as hold and "
        "alarm do, are alike here.",
        R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s", on_loss = "alarm" }
{ name = "b", slave = "gauge", fc = 3, at = 4, count = 4, into = "%MW4", every = "1s", on_loss = "alarm" }
{ name = "c", slave = "gauge", fc = 3, at = 40, count = 5, into = "%MW8", every = "1s", on_loss = "zero" })",
        R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s", on_loss = "alarm" }
{ name = "b", slave = "gauge", fc = 3, at = 4, count = 4, into = "%MW4", every = "1s", on_loss = "alarm" }
{ name = "c", slave = "gauge", fc = 3, at = 40, count = 5, into = "%MW8", every = "1s", on_loss = "alarm" })",
        "Make them alike, or accept it.", "", check_odd_losses, Needs::plan},
};

}  // namespace

std::span<const RuleEntry> heartbeats_entries() {
  return heartbeats_rules;
}

}  // namespace greymet::checks::internal
