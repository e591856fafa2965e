#include "files/new_plan.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "files/csv_text.h"
#include "files/toml_scan.h"
#include "model/toml_text.h"
#include "model/utf8_text.h"

namespace greymet::files {

using model::toml_string;

namespace {

constexpr int peer_words = 10;
constexpr int first_peer_word = 3000;  // of the controller; 100 for each peer

// A key of a table: bare where TOML allows it.
std::string key(const std::string& name) {
  const bool bare = !name.empty() && name.find_first_not_of(
                                         "abcdefghijklmnopqrstuvwxyz"
                                         "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
                                         "0123456789-_") == std::string::npos;
  return bare ? name : toml_string(name);
}

// `key = value`, and why behind it.
std::string pair(std::string_view name, const std::string& value, std::string_view why = {}) {
  std::string text = fmt::format("{:<10} = {}", name, value);
  if (!why.empty()) text = fmt::format("{:<32} # {}", text, why);
  return text + "\n";
}

std::string controller_text(const NewPlan& plan) {
  const bool has_bits = std::any_of(plan.slaves.begin(), plan.slaves.end(),
                                    [](const NewSlave& s) { return !s.bits.empty(); });
  std::string text = fmt::format("[controller.{}]\n", key(plan.controller));
  text += pair("scan", "\"10ms\"", "of its program");
  if (!plan.peers.empty()) {
    text += pair("# address", "\"192.168.1.10/24\"", "its own, with its subnet");
  }
  if (!plan.tags.empty()) {
    text += pair("tags", toml_string(plan.tags), "drafted: what its program has to declare");
  }
  text +=
      pair("word_order", "\"ABCD\"", "as its program takes long values; ABCD, CDAB, BADC or DCBA");
  text += fmt::format(
      "[controller.{}.memory]  # what the exchange may use of its memory\n"
      "\"%MW\" = {{ kind = \"word\", first = 0, count = 4000 }}\n",
      key(plan.controller));
  if (has_bits) text += "\"%MX\" = { kind = \"bit\",  first = 0, count = 1000 }\n";
  return text + "\n";
}

// Time for the longest frame of the standard at this speed, and for a slave to think.
std::int64_t timeout_ms(const NewLine& line) {
  constexpr std::int64_t thinks = 50;
  constexpr std::int64_t bits_per_character = 11;
  constexpr std::int64_t step = 50;
  const std::int64_t characters = line.mode == "ascii" ? 513 : 256;
  const std::int64_t ms = thinks + characters * bits_per_character * 1000 / line.baud;
  return (ms / step + 1) * step;
}

std::string line_text(const NewPlan& plan, std::size_t index) {
  const NewLine& line = plan.lines[index];
  return fmt::format("[line.{}]\n", key(line.name)) + pair("master", toml_string(plan.controller)) +
         pair("port", fmt::format("\"/dev/ttyUSB{}\"", index),
              "where the master's port is a computer's") +
         pair("medium", "\"rs485\"") + pair("mode", toml_string(line.mode)) +
         pair("baud", std::to_string(line.baud)) + pair("format", toml_string(line.format)) +
         pair("timeout", fmt::format("\"{}ms\"", timeout_ms(line)),
              "longer than the longest answer takes") +
         pair("retries", "1") +
         pair("park", "{ after = 3, retry = \"10s\" }", "a silent slave is tried every 10 s only") +
         "\n";
}

std::string peer_text(const NewPeer& peer) {
  return fmt::format("[controller.{}]\n", key(peer.name)) + pair("scan", "\"10ms\"") +
         pair("address", toml_string(peer.address)) +
         pair("answers", "[ { port = 502, timeout = \"100ms\", retries = 1 } ]",
              "the other one is its master") +
         fmt::format(
             "[controller.{}.memory]\n"
             "\"%MW\" = {{ kind = \"word\", first = 0, count = 4000, serves = \"hr:0\" }}\n\n",
             key(peer.name));
}

std::string names_text(const std::vector<std::string>& names) {
  std::string text = "[";
  for (const std::string& name : names) text += (text.size() > 1 ? ", " : "") + toml_string(name);
  return text + "]";
}

std::string want_text(const NewPlan& plan, const NewSlave& slave, bool words, bool all) {
  return fmt::format(
      "  {{ controller = {}, slave = {}, points = {}, every = {}, into = \"{}\", on_loss = "
      "\"alarm\" }},\n",
      toml_string(plan.controller), toml_string(slave.name),
      all ? "[\"*\"]" : names_text(words ? slave.words : slave.bits), toml_string(plan.period),
      words ? "%MW" : "%MX");
}

// How a want that writes looks, of the first slave that has something to write: a comment, as
// nothing is written that nobody asked for.
std::string writing_text(const NewPlan& plan) {
  for (const NewSlave& slave : plan.slaves) {
    if (slave.writable.empty()) continue;
    return fmt::format(
        "# To write, put a row like this into wants and run greymet pack PLAN --write:\n"
        "#   {{ controller = {}, slave = {}, points = {}, on = \"change\", min_gap = \"200ms\", "
        "from = \"%MW\" }},\n",
        toml_string(plan.controller), toml_string(slave.name),
        names_text({slave.writable.front()}));
  }
  return {};
}

std::string exchange_text(const NewPlan& plan) {
  std::string text = "[exchange]\ntransactions = [\n";
  int at = first_peer_word;
  for (const NewPeer& peer : plan.peers) {
    text += fmt::format(
        "  {{ name = {0}, controller = {1}, slave = {2}, fc = 16, at = \"%MW0\", count = {3}, from "
        "= \"%MW{4}\", every = \"500ms\", on_loss = \"alarm\" }},\n"
        "  {{ name = {5}, controller = {1}, slave = {2}, fc = 3, at = \"%MW100\", count = {3}, "
        "into = \"%MW{6}\", every = \"500ms\", phase = \"250ms\", on_loss = \"alarm\" }},\n",
        toml_string("to-" + peer.name), toml_string(plan.controller), toml_string(peer.name),
        peer_words, at, toml_string("from-" + peer.name), at + 50);
    at += 100;
  }
  text += "]\n";
  std::string wants;
  for (const NewSlave& slave : plan.slaves) {
    // a pattern would take what is of another kind, or cannot be read
    const bool all = slave.all_readable && (slave.words.empty() || slave.bits.empty());
    if (!slave.words.empty()) wants += want_text(plan, slave, true, all);
    if (!slave.bits.empty()) wants += want_text(plan, slave, false, all);
  }
  if (wants.empty()) return text;
  return text + "wants = [\n" + wants + "]\n" + writing_text(plan);
}

std::string supervision_text(const NewPlan& plan) {
  if (plan.peers.empty()) return {};
  std::string text = "\n[supervision]  # each sees that the other is alive\nheartbeats = [\n";
  int at = first_peer_word;
  for (const NewPeer& peer : plan.peers) {
    const auto row = [&](const std::string& name, const std::string& from, int word,
                         const std::string& to) {
      text += fmt::format(
          "  {{ name = {}, from = {}, bit = \"%MW{}.0\", toggle = \"2s\", to = {}, watch = \"6s\", "
          "react = \"10s\", lost = 1, on_loss = \"alarm\" }},\n",
          toml_string(name), toml_string(from), word, toml_string(to));
    };
    row(plan.controller + "-alive-at-" + peer.name, plan.controller, at, peer.name);
    row(peer.name + "-alive", peer.name, 100, plan.controller);
    at += 100;
  }
  return text + "]\n";
}

}  // namespace

std::string new_slave_text(const NewSlave& slave) {
  constexpr std::int64_t usual_port = 502;
  std::string text = fmt::format("[slave.{}]\n", key(slave.name));
  if (!slave.line.empty()) {
    text += pair("line", toml_string(slave.line));
  } else {
    text += pair("host", toml_string(slave.host));
    if (slave.port != usual_port) text += pair("port", std::to_string(slave.port));
    text += pair("timeout", "\"500ms\"");
  }
  if (slave.unit) text += pair("unit", std::to_string(*slave.unit));
  text += pair("map", toml_string(slave.map),
               slave.map_from.empty() ? "the registers of the device"
                                      : "made of " + model::shown(slave.map_from));
  const auto is_assumed = [&](std::string_view key) {
    return std::find(slave.assumed.begin(), slave.assumed.end(), key) != slave.assumed.end();
  };
  text += pair("numbering", toml_string(slave.numbering.value_or("from-0")),
               is_assumed("numbering") ? "does its manual count from 1? then from-1"
                                       : "how its table counts: from-0, from-1 or reference");
  if (slave.has_long_values) {
    text += pair("word_order", "\"ABCD\"", "of its long values; see its manual");
  }
  if (!slave.assumed.empty()) {
    text += pair("assumed", names_text(slave.assumed), "take out what is confirmed");
  }
  text += "# map_covers = \"all\"             # once the map lists every register it has\n";
  text += "# reply = { typical = \"10ms\", max = \"50ms\" }  # measured, or as its maker says\n";
  return text + "\n";
}

std::string with_new_slave(std::string_view plan, const NewSlave& slave) {
  std::string text(plan);
  const std::string line_end = text.find("\r\n") == std::string::npos ? "\n" : "\r\n";
  if (!text.empty() && !text.ends_with('\n')) text += line_end;
  if (!text.empty()) text += line_end;
  std::string added = new_slave_text(slave);
  added.pop_back();  // the blank line behind it
  for (const char c : added) text += c == '\n' ? line_end : std::string(1, c);
  return text;
}

std::string new_plan_text(const NewPlan& plan) {
  std::string text = fmt::format(
      "# A plan of cyclic exchange. After each change: greymet check THIS FILE\n"
      "# What every key means: docs/plan-format.md. Rows of `transactions` were packed of "
      "`wants`;\n"
      "# take the marks off the wants, change them, and let `greymet pack THIS FILE --write` pack\n"
      "# again.\n\n"
      "[plan]\n{}{}\n",
      pair("title", toml_string(plan.title)),
      pair("revision", "\"A\"", "raise it with each download"));
  text += controller_text(plan);
  for (const NewPeer& peer : plan.peers) text += peer_text(peer);
  for (std::size_t l = 0; l < plan.lines.size(); ++l) text += line_text(plan, l);
  for (const NewSlave& slave : plan.slaves) text += new_slave_text(slave);
  return text + exchange_text(plan) + supervision_text(plan);
}

std::optional<PlanWithTable> with_table(std::string_view plan, std::string_view file_name) {
  const auto part = [&](const Span& span) {
    return plan.substr(span.begin, span.end - span.begin);
  };
  for (const TomlNode& node : scan_toml(plan)) {
    if (node.kind != TomlKind::pair || part(node.key) != "transactions") continue;
    std::vector<std::string> columns;
    std::vector<std::map<std::string, std::string>> rows;
    for (const TomlNode& row : node.parts) {
      rows.emplace_back();
      for (const TomlNode& cell : row.parts) {
        std::string_view value = part(cell.value);
        if (value.starts_with('{') || value.starts_with('[')) return std::nullopt;
        const bool quoted = value.size() >= 2 && value.front() == '"' && value.back() == '"';
        if (quoted && value.find('\\') != std::string_view::npos) return std::nullopt;
        if (quoted) value = value.substr(1, value.size() - 2);
        const std::string key(part(cell.key));
        if (std::find(columns.begin(), columns.end(), key) == columns.end()) columns.push_back(key);
        rows.back()[key] = value;
      }
    }
    if (rows.empty()) return std::nullopt;
    CsvWriter csv;
    csv.row(columns);
    for (auto& row : rows) {
      std::vector<std::string> cells;
      cells.reserve(columns.size());
      for (const std::string& column : columns) cells.push_back(row[column]);
      csv.row(cells);
    }
    PlanWithTable out;
    out.plan = std::string(plan.substr(0, node.whole.begin)) +
               pair("table", toml_string(std::string(file_name)), "the transactions, a row each") +
               std::string(plan.substr(std::min(plan.size(), node.whole.end + 1)));
    out.csv = csv.take();
    return out;
  }
  return std::nullopt;
}

std::string empty_map() {
  return "point,area,address,type,word_order,factor,offset,unit,min,max,access,names,note\r\n";
}

std::string example_map() {
  return "point,area,address,type,word_order,factor,offset,unit,min,max,access,note\r\n"
         "temperature,hr,0,i16,,0.1,0,°C,-40,200,r,example: 215 is 21.5 °C\r\n"
         "flow,hr,1,f32,,1,0,m3/h,0,500,r,example: a value of two registers\r\n"
         "state,hr,3,bits,,1,0,,,,r,example: sixteen bits\r\n"
         "setpoint,hr,10,i16,,0.1,0,°C,0,150,rw,example: may be written\r\n";
}

}  // namespace greymet::files
