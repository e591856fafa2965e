// The catalogue, family S: settings of serial lines.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array settings_rules{
    RuleEntry{RuleCode::S01, Severity::error, "slave's settings differ from the line's",
              "A slave with another baud rate, parity or mode hears noise and never answers.",
              R"([slave.gauge]
settings = { baud = 9600, format = "8E1" })",
              R"([slave.gauge]
settings = { baud = 19200, format = "8E1" })",
              "Set the slave like the line, or the line like its slaves.", "V1.02 2.5",
              check_settings, Needs::plan},
    RuleEntry{RuleCode::S02, Severity::error, "unit address used twice on a line",
              "Two slaves with one address answer at the same time and destroy each other's reply.",
              R"([slave.pump]
unit = 12)",
              R"([slave.pump]
unit = 13)",
              "Give one of them another unit.", "V1.02 2.2", check_settings, Needs::plan},
    RuleEntry{RuleCode::S03, Severity::error, "unit address out of range",
              "Slaves have addresses 1 to 247; 0 is the broadcast, 248 to 255 are reserved.",
              R"([slave.pump]
unit = 248)",
              R"([slave.pump]
unit = 247)",
              "Write the address that is set at the slave.", "V1.02 2.2", check_settings,
              Needs::plan},
    RuleEntry{RuleCode::S04, Severity::error, "more than one master, or a port used twice",
              "A serial line has exactly one master; a second one talks over the first.",
              R"([controller.kiln]
answers = [ { line = "north", unit = 12 } ])",
              R"([controller.kiln]
answers = [ { line = "north", unit = 1 } ])",
              "One master, one port, one unit for each; move the slave, or correct the name.",
              "V1.02 2.1", check_settings, Needs::plan},
    RuleEntry{RuleCode::S05, Severity::error, "character format does not suit the mode",
              "RTU sends all 8 bits of a byte. ASCII sends characters of 7: 8 data bits are a "
              "warning. Without parity the standard wants a second stop bit; one is a note.",
              R"([line.north]
format = "7E1")",
              R"([line.north]
format = "8E1")",
              "Write 8E1, 8O1 or 8N2 for RTU; 7E1 or 7N2 for ASCII.", "V1.02 2.5.1", check_settings,
              Needs::plan},
    RuleEntry{RuleCode::S06, Severity::error, "more than one slave on rs232",
              "RS-232 joins two devices, no more.",
              R"([line.north]
medium = "rs232")",
              R"([line.north]
medium = "rs485")",
              "Write rs485 if that is what is wired, or give each slave a line of its own.",
              "V1.02 3.5", check_settings, Needs::plan},
    RuleEntry{RuleCode::S07, Severity::warning, "more than 32 unit loads on a line",
              "A driver is only sure to move 32 unit loads, the master's included; beyond them a "
              "repeater is needed.",
              R"([slave.pump]
unit_load = 31.0)",
              R"([slave.pump]
unit_load = 0.25)",
              "Split the line, add a repeater, or state the real unit_load.", "V1.02 3.4.1",
              check_settings, Needs::plan},
    RuleEntry{
        RuleCode::S08, Severity::warning, "unusual baud rate",
        "Devices rarely offer rates outside the usual series: a note. Next to a usual rate, or "
        "ten times or a tenth of it, it is a slip.",
        R"([line.north]
baud = 19201)",
        R"([line.north]
baud = 19200)",
        "Write the rate that all slaves can, usually 9600 or 19200.", "V1.02 3.3", check_settings,
        Needs::plan},
    RuleEntry{RuleCode::S09, Severity::error, "broadcast used for a read",
              "Nobody answers a broadcast, so nothing can be read with one.",
              R"([slave.pump]
unit = 0
{ name = "all", slave = "pump", fc = 3, at = 0, count = 1, into = "%MW0", every = "1s", on_loss = "hold" })",
              R"([slave.pump]
unit = 0
{ name = "all", slave = "pump", fc = 6, at = 0, from = "%MW0", every = "1s" })",
              "Read each slave by its own unit.", "V1.02 2.1", check_settings, Needs::plan},
    RuleEntry{
        RuleCode::S10, Severity::warning, "cable too long",
        "Where `length_m` and `stub_m` are stated: a trunk of RS-485 reaches 1000 m up to "
        "9600 baud, and is taken to reach as far as length times rate stays below 10^8 above; "
        "a branch reaches 20 m; RS-232 reaches 20 m.",
        R"([line.north]
length_m = 1400)",
        R"([line.north]
length_m = 800
stub_m = 3)",
        "A lower rate, a repeater, or a trunk that goes from device to device.", "V1.02 3.4.2, 3.5",
        check_settings, Needs::plan},
};

}  // namespace

std::span<const RuleEntry> settings_entries() {
  return settings_rules;
}

}  // namespace greymet::checks::internal
