#include "capture/draft_plan.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "model/address.h"
#include "model/duration_text.h"
#include "model/toml_text.h"

namespace greymet::capture {

using model::Area;
using model::FunctionCode;

namespace {

constexpr std::size_t most_words = 200'000;
constexpr std::uint64_t telling = 3;  // requests that show a period

struct DraftedSlave {
  std::string name;
  std::string host;
  std::string port;
  std::uint8_t unit = 0;
  std::string line;  // behind a gateway
  // by area and offset: how it is used, and how it moved
  std::map<std::pair<Area, std::uint32_t>, std::pair<SeenWord, std::string>> words;
  // by area and first offset; none overlaps another
  std::map<std::pair<Area, std::uint32_t>, LikelyValue> likely;
};

std::string moved_text(const SeenWord& word) {
  if (word.samples == 0) return "no answer was seen";
  if (word.least == word.greatest) return fmt::format("always {}", word.least);
  return fmt::format("{} to {}, changed {} times in {}", word.least, word.greatest, word.changes(),
                     word.samples);
}

std::string likely_text(const LikelyValue& value, const SeenWord& last) {
  std::string text = "likely " + to_text(value.type, value.registers);
  if (value.type == LikelyType::text) return text + ": always " + value.note;
  if (value.registers > 1) {
    text += value.high_word_first ? ", high word first" : ", low word first";
  }
  if (!value.note.empty()) text += ": " + value.note;
  return text + fmt::format(", changed {} times in {}", last.changes(), last.samples);
}

// Whoever asks again as soon as he has the answer has no period.
std::string every_of(Duration interval, const std::optional<Duration>& reply) {
  constexpr double at_once = 1.15;
  const bool continuous = reply && model::to_ms(interval) < at_once * model::to_ms(*reply) + 1;
  return continuous ? std::string("continuous") : model::to_text(usual_period(interval));
}

class Drafting {
 public:
  Drafting(const AuditResult& result, const SeenValues& values,
           const std::set<std::string>& rtu_wires)
      : result_(result), values_(values), rtu_wires_(rtu_wires) {}

  DraftedPlan draft() {
    std::vector<const Unplanned*> asked;
    for (const Unplanned& each : result_.unplanned) asked.push_back(&each);
    std::sort(asked.begin(), asked.end(),
              [](const Unplanned* a, const Unplanned* b) { return a->key < b->key; });
    name_controllers();
    for (const Unplanned* each : asked) add(*each);
    out_.slaves = slaves_.size();
    out_.files["plan.toml"] = plan_text();
    for (const auto& [place, slave] : slaves_)
      out_.files["maps/" + slave.name + ".csv"] = map_text(slave);
    return std::move(out_);
  }

 private:
  void name_controllers() {
    for (const auto& [pair, requests] : result_.clients) {
      const std::size_t number = controllers_.size() + 1;
      controllers_.try_emplace(pair.second,
                               number == 1 ? "master" : fmt::format("master{}", number));
    }
  }

  DraftedSlave& slave_of(const AskKey& key) {
    const auto [at, is_new] = slaves_.try_emplace({key.wire, key.unit});
    DraftedSlave& slave = at->second;
    if (!is_new) return slave;
    const std::size_t colon = key.wire.rfind(':');
    slave.host = key.wire.substr(0, colon);
    slave.port = key.wire.substr(colon + 1);
    slave.unit = key.unit;
    const std::size_t dot = slave.host.find_last_of(".:");
    std::string name = "device" + slave.host.substr(dot == std::string::npos ? 0 : dot + 1);
    std::erase_if(name, [](char c) { return c == ']' || c == '['; });
    if (!names_.insert(name).second) {
      name += fmt::format("-unit{}", key.unit);
      for (int n = 2; !names_.insert(name).second; ++n) name += fmt::format("-{}", n);
    }
    slave.name = name;
    if (rtu_wires_.count(key.wire) != 0) slave.line = line_of(key.wire, slave);
    return slave;
  }

  // The line behind the gateway at that host and port.
  const std::string& line_of(const std::string& wire, const DraftedSlave& slave) {
    const auto [at, is_new] = gateways_.try_emplace(wire);
    if (is_new) {
      const std::size_t number = gateways_.size();
      at->second = {number == 1 ? "bus" : fmt::format("bus{}", number), slave.host, slave.port};
    }
    return at->second.line;
  }

  // What there is little doubt of, as far as no other request has told already.
  static void add_likely(DraftedSlave& slave, Area area, std::uint32_t offset,
                         const SeenRegisters& seen) {
    for (LikelyValue& each : seen.likely()) {
      const std::uint32_t first = offset + each.first;
      const std::uint32_t end = first + each.registers;
      const bool is_free =
          std::none_of(slave.likely.begin(), slave.likely.end(), [&](const auto& known) {
            const auto& [place, value] = known;
            return place.first == area && place.second < end &&
                   first < place.second + value.registers;
          });
      if (is_free) slave.likely.emplace(std::pair(area, first), std::move(each));
    }
  }

  void add(const Unplanned& asked) {
    const AskKey& key = asked.key;
    const auto function = model::function_code_from(key.function);
    if (!function || *function == FunctionCode::read_write_multiple_registers ||
        *function == FunctionCode::mask_write_register) {
      out_.left_out.push_back(to_text(key) + ": write it by hand");
      return;
    }
    DraftedSlave& slave = slave_of(key);
    const Area area = model::traits_of(*function).area;
    const bool writes = model::writes(*function);
    const SeenRegisters& registers = values_.of(key);
    const std::vector<SeenWord>& seen = registers.words();
    if (!is_bit_area(area)) add_likely(slave, area, key.offset, registers);
    for (std::uint32_t i = 0; i < key.count; ++i) {
      auto& [word, use] = slave.words[{area, key.offset + i}];
      if (i < seen.size() && seen[i].samples >= word.samples) word = seen[i];
      if (use.find(writes ? 'w' : 'r') == std::string::npos) use += writes ? 'w' : 'r';
    }
    const auto interval = asked.stats.intervals.median();
    if (asked.stats.seen < telling || !interval || *interval <= Duration{}) {
      out_.left_out.push_back(
          fmt::format("{}: seen {}", to_text(key),
                      asked.stats.seen == 1 ? "once" : fmt::format("{} times", asked.stats.seen)));
      return;
    }
    const bool bits = is_bit_area(area);
    std::uint32_t& next = bits ? next_bit_ : next_word_;
    const std::string client =
        asked.stats.clients.empty() ? std::string() : *asked.stats.clients.begin();
    const bool single = *function == FunctionCode::write_single_coil ||
                        *function == FunctionCode::write_single_register;
    const auto controller = controllers_.find(client);
    rows_ += fmt::format(
        "  {{ name = \"{0}-fc{1}-{2}\", controller = \"{3}\", slave = \"{0}\", fc = {1}, at = {2}"
        "{4}, {5} = \"{6}{7}\", every = \"{8}\"{9} }},\n",
        slave.name, key.function, key.offset,
        controller == controllers_.end() ? "master" : controller->second,
        single ? "" : fmt::format(", count = {}", key.count), writes ? "from" : "into",
        bits ? "%MX" : "%MW", next, every_of(*interval, asked.stats.replies.median()),
        writes ? "" : ", on_loss = \"hold\"");
    next += key.count;
    ++out_.transactions;
  }

  [[nodiscard]] std::string plan_text() const {
    std::string text =
        "# Drafted from a capture. What is assumed, look it up: how the controller's memory is "
        "called, types\n# and orders of values (maps/; the likely ones say so), timeouts, what "
        "happens at a loss.\n\n"
        "[plan]\ntitle = \"Drafted from a capture\"\n\n";
    std::set<std::string> done;
    for (const auto& [client, name] : controllers_) {
      if (!done.insert(name).second) continue;
      text += fmt::format(
          "[controller.{}]  # {}\nscan = \"10ms\"\n[controller.{}.memory]\n"
          "\"%MW\" = {{ kind = \"word\", first = 0, count = {} }}\n"
          "\"%MX\" = {{ kind = \"bit\", first = 0, count = {} }}\n\n",
          name, client, name, std::max(1U, next_word_), std::max(1U, next_bit_));
    }
    for (const auto& [wire, gateway] : gateways_) {
      text += fmt::format(
          "[gateway.{0}]  # it hands on RTU frames: there is no other header around them\n"
          "host = {1}\nport = {2}\nframing = \"rtu\"\n\n"
          "[line.{3}]\nvia = \"{0}\"\nmode = \"rtu\"\n"
          "baud = 19200  # not to be seen on this wire, nor is the format: look them up\n"
          "format = \"8E1\"\n\n",
          "gateway-" + gateway.line, model::toml_string(gateway.host), gateway.port, gateway.line);
    }
    for (const auto& [place, slave] : slaves_) {
      text += fmt::format("[slave.{}]\n", slave.name);
      if (!slave.line.empty()) {
        text += fmt::format("line = \"{}\"\n", slave.line);
      } else {
        text += fmt::format("host = {}\n", model::toml_string(slave.host));
        if (slave.port != "502") text += fmt::format("port = {}\n", slave.port);
      }
      text += fmt::format("unit = {}\nmap = \"maps/{}.csv\"\nnumbering = \"from-0\"\n\n",
                          slave.unit, slave.name);
    }
    text += "[exchange]\ntransactions = [\n" + rows_ + "]\n";
    if (!out_.left_out.empty()) text += "# seen, and not cyclic:\n";
    for (const std::string& each : out_.left_out) text += "#   " + each + "\n";
    return text;
  }

  // Which moves whenever the whole does.
  static const SeenWord& last_word_of(const DraftedSlave& slave, Area area,
                                      const LikelyValue& value, std::uint32_t offset) {
    const std::uint32_t at = value.registers == 2 && value.high_word_first ? offset + 1 : offset;
    return slave.words.at({area, at}).first;
  }

  [[nodiscard]] static std::string map_text(const DraftedSlave& slave) {
    std::string text = "point,area,address,type,word_order,access,note\r\n";
    std::pair<Area, std::uint32_t> told{};  // up to here, by what was likely
    for (const auto& [place, word] : slave.words) {
      const auto& [area, offset] = place;
      if (area == told.first && offset < told.second) continue;
      const auto likely = slave.likely.find(place);
      const bool is_likely = likely != slave.likely.end();
      if (is_likely) told = {area, offset + likely->second.registers};
      const bool has_order =
          is_likely && likely->second.type != LikelyType::text && likely->second.registers > 1;
      const bool read_only = area == Area::discrete_input || area == Area::input_register;
      text += fmt::format(
          "{0}{1},{0},{1},{2},{3},{4},\"{5}\"\r\n", short_name(area), offset,
          is_likely           ? to_text(likely->second.type, likely->second.registers)
          : is_bit_area(area) ? "bool"
                              : "u16",
          !has_order                       ? ""
          : likely->second.high_word_first ? "ABCD"
                                           : "CDAB",
          read_only || word.second == "r" ? "r"
          : word.second == "w"            ? "w"
                                          : "rw",
          is_likely ? likely_text(likely->second, last_word_of(slave, area, likely->second, offset))
                    : moved_text(word.first));
    }
    return text;
  }

  const AuditResult& result_;
  const SeenValues& values_;
  const std::set<std::string>& rtu_wires_;
  DraftedPlan out_;
  std::map<std::string, std::string> controllers_;  // by client
  std::map<std::pair<std::string, std::uint8_t>, DraftedSlave> slaves_;
  struct DraftedGateway {
    std::string line;
    std::string host;
    std::string port;
  };
  std::map<std::string, DraftedGateway> gateways_;  // by host and port
  std::set<std::string> names_{"master"};
  std::uint32_t next_word_ = 0;
  std::uint32_t next_bit_ = 0;
  std::string rows_;
};

}  // namespace

void SeenValues::add(const AskKey& key, const std::vector<std::uint16_t>& words) {
  SeenRegisters& seen = words_[key];
  if (seen.words().empty()) {
    if (kept_ + words.size() > most_words) return;
    kept_ += words.size();
  }
  seen.add(words);
}

const SeenRegisters& SeenValues::of(const AskKey& key) const {
  static const SeenRegisters none;
  const auto found = words_.find(key);
  return found == words_.end() ? none : found->second;
}

Duration usual_period(Duration measured) {
  static constexpr std::array<std::int64_t, 20> usual_ms{
      10,  20,   25,   50,   100,  150,  200,   250,   300,   400,
      500, 1000, 1500, 2000, 3000, 5000, 10000, 20000, 30000, 60000};
  for (const std::int64_t ms : usual_ms) {
    const double apart = std::abs(model::to_ms(measured) / static_cast<double>(ms) - 1);
    constexpr double near = 0.03;
    if (apart <= near) return std::chrono::milliseconds(ms);
  }
  constexpr std::int64_t millisecond = 1'000'000;
  std::int64_t step = millisecond;
  while (measured.count() > 100 * step) step *= 10;
  return Duration(std::max<std::int64_t>(1, (measured.count() + step / 2) / step) * step);
}

DraftedPlan draft_plan(const AuditResult& result, const SeenValues& values,
                       const std::set<std::string>& rtu_wires) {
  return Drafting(result, values, rtu_wires).draft();
}

}  // namespace greymet::capture
