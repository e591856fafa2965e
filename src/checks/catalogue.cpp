#include "checks/catalogue.h"

#include <array>
#include <string>

#include <fmt/format.h>

namespace greymet::checks {

using model::RuleCode;
using model::Severity;

namespace {

constexpr std::array all_families{
    RuleFamily{'P', "the plan file"},
    RuleFamily{'S', "settings of serial lines"},
    RuleFamily{'F', "function codes and addresses"},
    RuleFamily{'M', "memory and overlaps"},
    RuleFamily{'D', "data"},
};

constexpr std::array entries{
    RuleEntry{
        RuleCode::P01, Severity::error, "the file is not TOML",
        "Nothing can be read from a file with a syntax error; it is reported with a hint where "
        "the slip is a common one.",
        ""},
    RuleEntry{RuleCode::P02, Severity::error, "unknown key",
              "A misspelt key would otherwise be ignored, and its default taken in silence.", ""},
    RuleEntry{RuleCode::P03, Severity::error,
              "unknown slave, line, controller, point, gateway or memory",
              "A name that nothing declares is a slip of the pen, or a declaration that was "
              "forgotten.",
              ""},
    RuleEntry{RuleCode::P04, Severity::error, "name used twice",
              "Two things of one name cannot be told apart by those who refer to them.", ""},
    RuleEntry{RuleCode::P05, Severity::error,
              "value out of its range, without a unit, or not an address",
              "A number without its unit, or past its range, means something else to everybody who "
              "reads it.",
              ""},
    RuleEntry{RuleCode::P06, Severity::error, "key missing that has no default",
              "What cannot be guessed safely must be written down.", ""},
    RuleEntry{RuleCode::P07, Severity::error, "register map or model cannot be used",
              "A map that is missing, empty or has bad rows leaves the slave's registers unknown.",
              ""},
    RuleEntry{RuleCode::P08, Severity::error, "neither `at` nor `points`, or both",
              "A transaction needs one statement of what it moves, and only one.", ""},
    RuleEntry{RuleCode::P09, Severity::warning, "an accept that silences nothing",
              "An acceptance that outlives its finding would hide the next one of its kind.", ""},
    RuleEntry{RuleCode::S01, Severity::error, "slave's settings differ from the line's",
              "A slave with another baud rate, parity or mode hears noise and never answers.",
              "V1.02 2.5"},
    RuleEntry{RuleCode::S02, Severity::error, "unit address used twice on a line",
              "Two slaves with one address answer at the same time and destroy each other's reply.",
              "V1.02 2.2"},
    RuleEntry{RuleCode::S03, Severity::error, "unit address out of range",
              "Slaves have addresses 1 to 247; 0 is the broadcast, 248 to 255 are reserved.",
              "V1.02 2.2"},
    RuleEntry{RuleCode::S04, Severity::error, "more than one master, or a port used twice",
              "A serial line has exactly one master; a second one talks over the first.",
              "V1.02 2.1"},
    RuleEntry{
        RuleCode::S05, Severity::error, "character format does not suit the mode",
        "RTU sends all 8 bits of a byte. Without parity the standard wants a second stop bit; "
        "one stop bit is a note.",
        "V1.02 2.5.1"},
    RuleEntry{RuleCode::S06, Severity::error, "more than one slave on rs232",
              "RS-232 joins two devices, no more.", "V1.02 3.5"},
    RuleEntry{RuleCode::S07, Severity::warning, "more than 32 unit loads on a line",
              "A driver is only sure to move 32 unit loads, the master's included; beyond them a "
              "repeater is needed.",
              "V1.02 3.4.1"},
    RuleEntry{RuleCode::S08, Severity::note, "unusual baud rate",
              "Devices rarely offer rates outside the usual series.", "V1.02 3.3"},
    RuleEntry{RuleCode::S09, Severity::error, "broadcast used for a read",
              "Nobody answers a broadcast, so nothing can be read with one.", "V1.02 2.1"},
    RuleEntry{RuleCode::F01, Severity::error, "function code and area disagree",
              "Each function reaches one area only; the wrong one reads other data or is refused.",
              "V1.1b3 6"},
    RuleEntry{RuleCode::F02, Severity::error, "more than one request may carry",
              "A longer request is refused with exception 03, or not answered at all.", "V1.1b3 6"},
    RuleEntry{RuleCode::F03, Severity::error, "block runs past address 65535",
              "Addresses have 16 bits; there is nothing behind the last one.", "V1.1b3 4.4"},
    RuleEntry{RuleCode::F04, Severity::error, "function that the slave does not have",
              "The slave would answer exception 01.", "V1.1b3 7"},
    RuleEntry{RuleCode::F05, Severity::error, "function not available on this controller model",
              "The controller cannot send what its model does not offer.", ""},
    RuleEntry{RuleCode::F06, Severity::error, "single write with a quantity other than 1",
              "Functions 5, 6 and 22 write exactly one coil or register.", "V1.1b3 6.5, 6.6, 6.16"},
    RuleEntry{RuleCode::F07, Severity::error, "write to a read-only point",
              "The slave refuses the write, or ignores it without a word.", ""},
    RuleEntry{RuleCode::F08, Severity::error, "read of a write-only point",
              "What comes back is undefined, or the whole request is refused.", ""},
    RuleEntry{
        RuleCode::F09, Severity::error, "block covers registers that the map does not list",
        "Many slaves refuse a whole request for one blank register. An error where holes = "
        "refuse, a warning or a note where the map lists all, silent where it lists only some.",
        "V1.1b3 7"},
    RuleEntry{RuleCode::F10, Severity::warning, "block looks off by one",
              "Manuals count from 0 or from 1; taking one for the other shifts every value.",
              "V1.1b3 4.4"},
    RuleEntry{RuleCode::F11, Severity::warning, "fence-post: one register too many, or too few",
              "Registers 0..69 are 70 registers. One too many has the severity of a hole; one too "
              "few is a note.",
              ""},
    RuleEntry{RuleCode::F12, Severity::error, "a value is cut at the edge of the block",
              "Half of a 32-bit value is a wrong number, not half of the value.", ""},
    RuleEntry{RuleCode::F13, Severity::warning,
              "plain number looks like a reference, or like hex typed as decimal",
              "40014 as a protocol address is not what a manual means by 40014.", "V1.1b3 4.4"},
    RuleEntry{RuleCode::F14, Severity::note, "function 23 reads what it has just written",
              "Function 23 writes first: overlapping parts read back the new values.",
              "V1.1b3 6.17"},
    RuleEntry{RuleCode::M01, Severity::error, "two reads into overlapping memory",
              "The later one overwrites the earlier one, and the program sees both in turn.", ""},
    RuleEntry{RuleCode::M02, Severity::error, "a read lands on what another transaction sends",
              "The read overwrites the value before it is sent: it always goes back.", ""},
    RuleEntry{RuleCode::M03, Severity::error, "outside the memory area, or no such area",
              "The controller refuses the configuration, or writes where nobody expects it.", ""},
    RuleEntry{RuleCode::M04, Severity::error, "one register written by two",
              "The last writer wins, and who that is changes all the time. A warning where both "
              "belong to one master, a note where one is an operator's request inside a cyclic "
              "block, or both are masked writes.",
              ""},
    RuleEntry{RuleCode::M05, Severity::note, "the same register read twice by one master",
              "The second read costs line time and brings nothing new.", ""},
    RuleEntry{RuleCode::M06, Severity::error, "status or heartbeat bits overlap other data",
              "A status bit inside data changes the data, and the data the status.", ""},
    RuleEntry{RuleCode::M07, Severity::error, "bits into words, or the reverse, without packing",
              "Without stating how, each controller packs bits in its own way.", ""},
    RuleEntry{RuleCode::M08, Severity::error, "32-bit value at an odd word",
              "This controller model reads 32-bit values at even words only.", ""},
    RuleEntry{RuleCode::M09, Severity::warning, "one value fetched by two requests",
              "Between the two requests the value may change: the halves do not belong together.",
              ""},
    RuleEntry{RuleCode::M10, Severity::warning,
              "memory that a peer writes and an own read fills as well",
              "Whoever comes last wins: peer and read overwrite each other.", ""},
    RuleEntry{RuleCode::D03, Severity::error, "bit number outside 0..15",
              "A register has 16 bits, numbered from the least significant one, 0.", ""},
};

}  // namespace

std::span<const RuleEntry> catalogue() {
  return entries;
}
std::span<const RuleFamily> families() {
  return all_families;
}

const RuleEntry& entry_of(RuleCode code) {
  for (const RuleEntry& entry : entries) {
    if (entry.code == code) return entry;
  }
  return entries.front();  // every code has its entry: see catalogue_test
}

std::string rules_document() {
  std::string text =
      "# The rules of `check`\n\n"
      "This page is generated from the rule catalogue; a test compares the two. Severities: error\n"
      "(will not work or is unsafe), warning (will bite), note (worth knowing). Clauses: V1.1b3 "
      "is\n"
      "the MODBUS Application Protocol Specification, V1.02 the MODBUS over Serial Line\n"
      "Specification and Implementation Guide.\n";
  for (const RuleFamily& family : all_families) {
    text += fmt::format(
        "\n## {}: {}\n\n| code | severity | rule | why | clause |\n|---|---|---|---|---|\n",
        family.letter, family.title);
    for (const RuleEntry& entry : entries) {
      if (to_string(entry.code).front() != family.letter) continue;
      text += fmt::format("| {} | {} | {} | {} | {} |\n", to_string(entry.code),
                          to_string(entry.severity), entry.title, entry.why, entry.clause);
    }
  }
  return text;
}

}  // namespace greymet::checks
