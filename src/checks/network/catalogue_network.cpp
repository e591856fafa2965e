// The catalogue, family N: network and identity.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array network_rules{
    RuleEntry{RuleCode::N01, Severity::error, "one address for two boxes",
              "Two boxes with one address answer in turns, or not at all. Slaves of one host and "
              "port with their own units, and the gateways of one host, are one box.",
              R"([slave.air]
host = "10.20.0.12")",
              R"([slave.air]
host = "10.20.0.31")",
              "Give one of them another address.", "", check_network, Needs::plan},
    RuleEntry{RuleCode::N02, Severity::warning, "slave outside the controller's subnet",
              "Without a router the controller never reaches it. Silent with `router` at the "
              "controller or `routed` at the slave.",
              R"([slave.air]
host = "10.21.0.31"
{ name = "air", slave = "air", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold", controller = "kiln" })",
              R"([slave.air]
host = "10.21.0.31"
routed = true
{ name = "air", slave = "air", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold", controller = "kiln" })",
              "Correct the address, or say router = true at the controller.", "", check_network,
              Needs::plan},
    RuleEntry{RuleCode::N03, Severity::error, "same host, port and unit as two slaves",
              "Two descriptions of one slave: what one reads the other overwrites, and both are "
              "timed as if they were alone.",
              R"([slave.steam]
host = "10.20.0.31")",
              R"([slave.steam]
host = "10.20.0.31"
unit = 2)",
              "Write the host of this box, or its own unit behind that host.", "", check_network,
              Needs::plan},
    RuleEntry{RuleCode::N04, Severity::error, "more connections than are accepted",
              "The last master to connect is turned away, or pushes out another one. All masters "
              "count together.",
              R"([slave.air]
connections = 1
{ name = "a", slave = "air", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "b", slave = "air", controller = "loadout", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
              R"([slave.air]
connections = 2
{ name = "a", slave = "air", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "b", slave = "air", controller = "loadout", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
              "Let one master read and pass the values on.", "TCP 4.2", check_network, Needs::plan},
    RuleEntry{
        RuleCode::N05, Severity::warning, "connection idle for too long",
        "A slave that closes idle connections makes the next request wait for a new one, or fail.",
        R"([slave.air]
idle = "10s"
{ name = "a", slave = "air", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "30s", on_loss = "hold" })",
        R"([slave.air]
idle = "10s"
{ name = "a", slave = "air", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "5s", on_loss = "hold" })",
        "Ask more often, or write connect = \"each\".", "TCP 4.2", check_connections,
        Needs::timing},
    RuleEntry{RuleCode::N06, Severity::error, "master gives up before the gateway",
              "A gateway tries a silent slave several times before it says so. A master that does "
              "not wait for that takes the late answer for that of its next request.",
              R"([gateway.roof]
timeout = "500ms"
{ name = "w", slave = "weather", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "5s", on_loss = "hold" })",
              R"([gateway.roof]
timeout = "2s"
{ name = "w", slave = "weather", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "5s", on_loss = "hold" })",
              "Let the master wait for all tries of the gateway, or the gateway try less.",
              "V1.1b3 7 (0B)", check_connections, Needs::timing},
    RuleEntry{RuleCode::N07, Severity::note, "port other than 502",
              "502 is the registered port; few devices listen elsewhere.",
              R"([slave.air]
port = 5020)",
              R"([slave.air]
port = 502)",
              "Leave port out, unless the device is set to another one.", "TCP 4.2", check_network,
              Needs::plan},
    RuleEntry{
        RuleCode::N08,
        Severity::note,
        "unit of a slave with its own connection",
        "Without a serial line behind it a slave is told apart by its address; 255 is recommended "
        "as unit, 0 is accepted, too. Silent for several units at one host and port.",
        R"([slave.air]
unit = 7)",
        R"([slave.air]
unit = 255)",
        "Write 255, unless the manual names another one.",
        "TCP 4.4",
        check_network,
        Needs::plan,
        {RuleCode::N12}},
    RuleEntry{RuleCode::N09, Severity::error, "invalid host or port",
              "What is no address cannot be connected to.",
              R"([slave.air]
host = "10.20.0.310")",
              R"([slave.air]
host = "10.20.0.31")",
              "Write the address alone: no scheme, no port, four numbers up to 255.", "",
              check_network, Needs::plan},
    RuleEntry{RuleCode::N10, Severity::error, "peer does not let this master in",
              "A controller that lists who may connect turns everybody else away.",
              R"([controller.loadout]
answers = [ { port = 502, allows = ["10.20.0.99"] } ]
{ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW0", every = "1s" })",
              R"([controller.loadout]
answers = [ { port = 502, allows = ["10.20.0.10"] } ]
{ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 2, from = "%MW0", every = "1s" })",
              "Add the master's address to `allows`.", "TCP 4.2", check_network, Needs::plan},
    RuleEntry{RuleCode::N11, Severity::note, "connection opened for every request",
              "Each opening costs a round trip, and many slaves only forget the old connection "
              "after minutes.",
              R"([slave.air]
connect = "each"
{ name = "a", slave = "air", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
              R"([slave.air]
connect = "keep"
{ name = "a", slave = "air", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
              "Keep the connection, unless the slave cannot hold one.", "TCP 4.2",
              check_connections, Needs::timing},
    RuleEntry{
        RuleCode::N12, Severity::error, "one port of a box for two things",
        "A gateway's port leads to one serial line. Two gateways with one host and port, or a "
        "gateway and a slave of its own there, are answered by the same side.",
        R"([gateway.attic]
host = "10.20.0.40")",
        R"([gateway.attic]
host = "10.20.0.40"
port = 503)",
        "Write the port of the other serial side.", "TCP 4.4", check_network, Needs::plan},
    RuleEntry{RuleCode::N13, Severity::note, "declared and not used",
              "A slave nobody asks, a line without slaves, a memory area nobody uses: a row was "
              "forgotten, or its name is another one.",
              R"([slave.spare]
line = "north"
unit = 14)",
              R"([slave.spare]
line = "north"
unit = 14
{ name = "in", slave = "spare", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
              "Use it, or leave it out of the plan.", "", check_unused, Needs::plan},
};

}  // namespace

std::span<const RuleEntry> network_entries() {
  return network_rules;
}

}  // namespace greymet::checks::internal
