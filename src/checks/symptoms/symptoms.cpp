#include "checks/symptoms.h"

#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::checks {

namespace {

constexpr std::array function_looks{
    Look{"the function: does the manual list it for this register?", "greymet frame PLAN NAME"},
    Look{"6 and 16 are not both known to every slave: state `functions`, and check compares",
         "greymet check PLAN --rules F"},
    Look{"a slave that is locked, or in local operation, refuses writes with it as well", ""}};
constexpr std::array address_looks{
    Look{"how the manual counts: from 0, from 1, as a reference, in hexadecimal",
         "greymet address TEXT --plan PLAN --slave SLAVE"},
    Look{"the register one lower and one higher", "greymet hand PLAN SLAVE.hr:N"},
    Look{"a block that runs into a hole: read its parts alone", "greymet check PLAN --rules F"},
    Look{"the area: holding registers (3) or input registers (4)", ""}};
constexpr std::array value_looks{
    Look{"the count: more registers than this slave gives at once (`max_read`)",
         "greymet check PLAN --rules F02,F06"},
    Look{"of a write: the range that the slave takes, and its type",
         "greymet hand PLAN SLAVE.POINT VALUE"}};
constexpr std::array failure_looks{
    Look{"the slave's own display or fault memory: it could not do what it was asked", ""},
    Look{"whether it comes with one register only", "greymet hand PLAN SLAVE.hr:N"}};
constexpr std::array acknowledge_looks{
    Look{"the slave has begun and needs time: ask more slowly, and read its state", ""}};
constexpr std::array busy_looks{
    Look{"who else asks it: another master, a panel, a configuration tool", ""},
    Look{"the period: a slave that stores to memory takes no second write meanwhile",
         "greymet timing PLAN"}};
constexpr std::array parity_looks{
    Look{"the slave's own memory (files, functions 20 and 21): its service is needed", ""}};
constexpr std::array path_looks{
    Look{"the gateway: does it know the serial side, and is that port set up?", ""},
    Look{"the unit: gateways route by it", "greymet frame PLAN NAME"}};
constexpr std::array target_looks{
    Look{"the slave behind the gateway does not answer: its unit, supply, wires, baud and format",
         "greymet check PLAN --rules S"},
    Look{"the gateway's own timeout: shorter than the slave's reply?", "greymet timing PLAN"}};
constexpr std::array silence_looks{
    Look{"supply, and the lamps of its port: does it receive (one flickers), does it send?", ""},
    Look{"the unit, and that no other slave has it", "greymet check PLAN --rules S02,N03"},
    Look{"baud, format and mode, as the slave shows them", "greymet check PLAN --rules S"},
    Look{"A and B: makers name them the other way round; then termination and bias at both ends",
         ""},
    Look{"one request, alone on the line", "greymet hand PLAN SLAVE.POINT"},
    Look{"whom it waited for, or who held the line", "greymet run PLAN --duration 60s"}};
constexpr std::array refused_looks{
    Look{"the port: 502 unless the manual names another one", ""},
    Look{"how many connections it takes, and who has them", "greymet check PLAN --rules N06"},
    Look{"its list of masters that may ask, and a firewall on the way", ""}};
constexpr std::array zero_looks{
    Look{"did anything arrive? A value that was never read is zero in the program",
         "greymet run PLAN --duration 10s"},
    Look{"where it lands, and where the program looks for it", "greymet points PLAN"},
    Look{"its gate, trigger or period: does the request run at all?", "greymet run PLAN"},
    Look{"what it becomes when the slave is lost: on_loss = \"zero\"", ""},
    Look{"the area: many slaves answer zeros for registers that they do not have",
         "greymet hand PLAN SLAVE.hr:N"}};
constexpr std::array springs_looks{
    Look{"who else writes it: another request, the panel, the slave's own program",
         "greymet hand PLAN SLAVE.POINT VALUE"},
    Look{"an internal setpoint: local operation, a ramp, a limit of the slave", ""},
    Look{"a value that must be confirmed by a command, or is only taken at standstill", ""}};
constexpr std::array tenfold_looks{
    Look{"the factor in the map, beside what the slave's display shows",
         "greymet hand PLAN SLAVE.POINT"},
    Look{"decimals: the slave's own setting may move the point", ""},
    Look{"both ends: does the program scale it once more?", "greymet check PLAN --rules V04"}};
constexpr std::array swapped_looks{
    Look{"all orders of the words, beside what the display shows",
         "greymet value WORDS --type f32 --near SHOWN"},
    Look{"word_order of the slave, swap of the controller", "greymet check PLAN --rules D,V02"},
    Look{"the address: a value of two words read one word off looks just like that",
         "greymet hand PLAN SLAVE.hr:N --count 4"}};
constexpr std::array shifted_looks{
    Look{"how the manual counts: its first register is 1, or 40001: then every address is one less "
         "on the wire; state `numbering`",
         "greymet explain numbering"},
    Look{"one value beside what the display shows, with its neighbours",
         "greymet probe PLAN SLAVE --point POINT --near SHOWN"},
    Look{"one value alone that is off: its row in the map, hexadecimal typed as decimal",
         "greymet address TEXT --plan PLAN --slave SLAVE"}};
constexpr std::array tiny_looks{
    Look{"the order of the words: the low one read first makes such numbers of any float",
         "greymet value WORDS --type f32 --near SHOWN"},
    Look{"settle it at the device, and write it into the plan",
         "greymet probe PLAN SLAVE --point POINT --near SHOWN --write"},
    Look{"the type: an integer of 32 bits read as a float is tiny as well",
         "greymet hand PLAN SLAVE.POINT"},
    Look{"the address, one off", "greymet explain off-by-one"}};
constexpr std::array one_slave_looks{
    Look{"its unit, and that no other slave has it", "greymet check PLAN --rules S02,N03"},
    Look{"who answers on this line at all", "greymet probe PLAN SLAVE --units 1..20"},
    Look{"its own settings: mode, baud, parity, stop bits", "greymet probe PLAN SLAVE --settings"},
    Look{"its reply time: slower than the timeout?", "greymet probe PLAN SLAVE --times 50"},
    Look{"what is asked of it: a block it does not know may get no answer instead of a refusal",
         "greymet probe PLAN SLAVE"},
    Look{"its terminals: A and B, and whether it is the one behind a bad plug", ""}};
constexpr std::array other_off_looks{
    Look{"the other device holds the line: each request to it waits for its timeout and retries",
         "greymet timing PLAN"},
    Look{"the shortest way out: fewer retries, a shorter timeout, park", "greymet tune PLAN"},
    Look{"a line without termination or bias at its end: the device that is off was the end", ""},
    Look{"what becomes of the values: on_loss of the request, status bits of the driver",
         "greymet rehearse PLAN --fast"}};
constexpr std::array broken_looks{
    Look{"the format: parity and stop bits that differ give a broken frame now and then, or always",
         "greymet check PLAN --rules S"},
    Look{"two slaves with one unit answer at the same time", "greymet check PLAN --rules S02"},
    Look{"termination, bias and stubs; wires beside those of drives", ""},
    Look{"pauses within frames: an adapter or radio that hands on in pieces (`character_gap`)",
         ""}};
constexpr std::array other_looks{
    Look{"replies that come after the timeout and meet the next request", "greymet timing PLAN"},
    Look{"a second master on the line", ""}, Look{"a gateway that mixes up its masters", ""}};

constexpr std::array all_symptoms{
    Symptom{"01", "exception 01: illegal function",
            "The slave does not know this function, or not in its present state.", function_looks},
    Symptom{
        "02", "exception 02: illegal data address",
        "Some register of the block does not exist in this slave. Mostly the address is counted "
        "otherwise than thought, or the block reaches into a hole.",
        address_looks},
    Symptom{"03", "exception 03: illegal data value",
            "The count, or the value that is written, is more than the slave takes.", value_looks,
            "out of range"},
    Symptom{"04", "exception 04: server device failure",
            "The slave understood, and could not do it.", failure_looks},
    Symptom{"05", "exception 05: acknowledge", "The slave has accepted a long job.",
            acknowledge_looks},
    Symptom{"06", "exception 06: server device busy", "The slave is at something else.", busy_looks,
            "wait"},
    Symptom{"08", "exception 08: memory parity error", "The slave's memory is at fault.",
            parity_looks},
    Symptom{"0A", "exception 0A: gateway path unavailable", "The gateway has no way to this unit.",
            path_looks},
    Symptom{"0B", "exception 0B: gateway target device failed to respond",
            "The gateway works, the slave behind it is silent.", target_looks},
    Symptom{"silence", "no reply",
            "Nothing came back. On a serial line it is mostly the unit, the settings or the wires; "
            "on TCP the host is there, but the unit or the program behind the port is not.",
            silence_looks, "timeout time out nothing answer response dead offline quiet"},
    Symptom{"refused", "connection refused",
            "The host is there, and nobody takes connections on that port, or no more of them.",
            refused_looks, "reset closed port firewall"},
    Symptom{"broken", "broken frames", "Bytes came, and no frame: checksums or lengths are wrong.",
            broken_looks, "crc lrc checksum parity errors noise garbage damaged corrupt"},
    Symptom{"other", "answers to other questions",
            "Frames came that answer another unit, function or number.", other_looks,
            "stray late wrong unit transaction mixed up"},
    Symptom{"zeros", "a value that is always zero", "It was never read, or lands elsewhere.",
            zero_looks, "all zeros 0 empty nothing"},
    Symptom{"springs-back", "a value that springs back",
            "The write was confirmed, and a moment later the old value is there again.",
            springs_looks, "jumps back returns reset overwritten setpoint"},
    Symptom{"off-by-one", "everything is one register off",
            "The manual counts from 1, the wire counts from 0. Each value stands where the one "
            "beside it should.",
            shifted_looks, "off by one shifted next neighbour wrong address"},
    Symptom{"tiny", "a value such as 6.2e-39, or 1.4e38",
            "A float whose words, or bytes, lie in another order than thought.", tiny_looks,
            "nan denormal huge float wrong order strange number"},
    Symptom{"one-slave", "one slave times out, the others answer",
            "The line works. Mostly it is the unit or the settings of this one.", one_slave_looks,
            "only one device silent"},
    Symptom{"other-off", "values jump or freeze when another device is off",
            "A silent slave takes the line for its timeout, again and again; the others wait.",
            other_off_looks, "stop hang slow delay switched power"},
    Symptom{"tenfold", "a value that is ten times too large or too small",
            "The registers are right, their factor is not.", tenfold_looks,
            "factor scale decimals decimal point 10 100 times"},
    Symptom{"swapped", "a value that makes no sense, or jumps",
            "Words in the other order, a block that is one off, or signed taken for unsigned.",
            swapped_looks,
            "swapped words order bytes garbage nonsense wrong value negative 65535 sign"}};

}  // namespace

std::span<const Symptom> symptoms() {
  return all_symptoms;
}

std::string symptoms_document() {
  std::string text =
      "# By symptom\n\n"
      "What is seen at the cabinet, what it mostly means, and what to look at, in which order. "
      "This "
      "page is what `greymet explain NAME` prints; a test compares the two. PLAN, SLAVE and POINT "
      "are yours.\n\n"
      "| what is seen | `greymet explain` |\n|---|---|\n";
  for (const Symptom& each : all_symptoms) {
    text += fmt::format("| [{}](#{}) | {} |\n", each.title, each.name, each.name);
  }
  for (const Symptom& each : all_symptoms) {
    text += fmt::format("\n## {0}\n\n<a id=\"{0}\"></a>**{1}.** {2}\n\n", each.name, each.title,
                        each.meaning);
    std::size_t number = 0;
    for (const Look& look : each.looks) {
      text +=
          fmt::format("{}. {}{}\n", ++number, look.at,
                      look.command.empty() ? std::string() : fmt::format(": `{}`", look.command));
    }
  }
  return text;
}

const Symptom* symptom_named(std::string_view name) {
  constexpr std::string_view prefix = "exception ";
  if (name.size() > prefix.size() &&
      model::equal_in_any_case(name.substr(0, prefix.size()), prefix)) {
    name.remove_prefix(prefix.size());
  }
  if (name.starts_with("0x")) name.remove_prefix(2);
  std::string joined(name);
  std::replace(joined.begin(), joined.end(), ' ', '-');
  name = joined;
  const auto is = [name](const Symptom& each) {
    const bool padded = name.size() == 1 && each.name.starts_with('0');
    return model::equal_in_any_case(padded ? each.name.substr(1) : each.name, name);
  };
  const auto* const at = std::find_if(all_symptoms.begin(), all_symptoms.end(), is);
  return at == all_symptoms.end() ? nullptr : &*at;
}

}  // namespace greymet::checks
