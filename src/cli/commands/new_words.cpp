#include "new_words.h"

#include <algorithm>
#include <charconv>
#include <optional>

#include <fmt/format.h>

#include "cli/terminal.h"
#include "model/ascii_text.h"
#include "model/nearest_name.h"
#include "model/serial_settings.h"

namespace greymet::cli {
namespace {

std::vector<std::string> split(std::string_view text, char at) {
  std::vector<std::string> parts;
  for (std::size_t from = 0;;) {
    const std::size_t end = std::min(text.find(at, from), text.size());
    parts.emplace_back(text.substr(from, end - from));
    if (end == text.size()) return parts;
    from = end + 1;
  }
}

std::optional<std::int64_t> number(std::string_view text, std::int64_t least, std::int64_t most) {
  std::int64_t value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  const bool good = error == std::errc() && end == text.data() + text.size() && !text.empty();
  return good && value >= least && value <= most ? std::optional(value) : std::nullopt;
}

std::string without_blanks(std::string_view text) {
  while (text.starts_with(' ')) text.remove_prefix(1);
  while (text.ends_with(' ')) text.remove_suffix(1);
  return std::string(text);
}

// What somebody may mean who names a mode where the map stands.
std::string mode_of_slave(const SlaveOption& slave, const std::string& mode) {
  return fmt::format(
      "--slave {}: behind the unit stands its register map, and '{}' is none; the mode is the "
      "line's: a device in {} has a line of its own, --line NAME={},9600,{}",
      shown(slave.slave.name.substr(0, 60)), shown(mode.substr(0, 20)),
      model::equal_in_any_case(mode, "ascii") ? "ASCII" : "RTU",
      model::equal_in_any_case(mode, "ascii") ? "ascii" : "rtu",
      model::equal_in_any_case(mode, "ascii") ? "7E1" : "8E1");
}

}  // namespace

bool is_numbering(std::string_view text) {
  return text == "from-0" || text == "from-1" || text == "reference";
}

Read<std::pair<std::string, std::string>> named(const std::string& option, const std::string& text,
                                                std::string_view example) {
  const std::size_t at = text.find('=');
  if (at == 0 || at == std::string::npos) {
    return tl::unexpected(fmt::format("--{} takes NAME=..., e.g. {}; found '{}'", option, example,
                                      shown(text.substr(0, 60))));
  }
  return std::pair(text.substr(0, at), text.substr(at + 1));
}

std::string wrong_name(const std::string& name) {
  if (name.empty()) return "slaves and controllers have a name";
  if (name.find('.') == std::string::npos) return {};
  return fmt::format("the name '{}' has a dot, at which slave.point would end",
                     shown(name.substr(0, 60)));
}

Read<files::NewLine> line_from(const std::string& text) {
  constexpr const char* example = "north=rtu,19200,8E1";
  const auto parts = named("line", text, example);
  if (!parts) return tl::unexpected(parts.error());
  files::NewLine line;
  line.name = parts->first;
  auto words = split(parts->second, ',');
  for (std::string& word : words) word = without_blanks(word);
  const bool rtu = model::equal_in_any_case(words[0], "rtu");
  const bool ascii = model::equal_in_any_case(words[0], "ascii");
  line.mode = ascii ? "ascii" : "rtu";
  const auto say = [&](std::string_view what) {
    return tl::unexpected(fmt::format("--line {}: {}; it takes NAME=rtu|ascii,BAUD,FORMAT, e.g. {}",
                                      shown(line.name.substr(0, 60)), what, example));
  };
  if (!rtu && !ascii) {
    return say(fmt::format("the mode is '{}', and is rtu or ascii", shown(words[0].substr(0, 20))));
  }
  if (words.size() < 2) return say("the baud rate and the format are missing");
  const auto baud = number(words[1], 50, 10'000'000);
  if (!baud) return say(fmt::format("'{}' is no baud rate", shown(words[1].substr(0, 20))));
  line.baud = *baud;
  if (words.size() < 3) {
    return say(fmt::format("the format is missing: {}={},{},{}", shown(line.name.substr(0, 60)),
                           line.mode, line.baud, ascii ? "7E1" : "8E1"));
  }
  line.format = words[2];
  std::transform(line.format.begin(), line.format.end(), line.format.begin(),
                 [](char c) { return c >= 'a' && c <= 'z' ? static_cast<char>(c - 32) : c; });
  if (!model::character_format_from(line.format)) {
    return say(fmt::format("'{}' is no format: data bits, parity N, E or O, stop bits, together",
                           shown(words[2].substr(0, 20))));
  }
  if (words.size() > 3) {
    return say(fmt::format("'{}' is too much", shown(words[3].substr(0, 20))));
  }
  return line;
}

Read<SlaveOption> slave_from(const std::string& text, const std::vector<files::NewLine>& lines) {
  const auto parts = named("slave", text, "gauge=north,12,gauge.csv");
  if (!parts) return tl::unexpected(parts.error());
  SlaveOption out;
  out.slave.name = parts->first;
  const auto words = split(parts->second, ',');
  const bool on_line = std::any_of(lines.begin(), lines.end(),
                                   [&](const auto& line) { return line.name == words[0]; });
  std::size_t next = 1;
  if (on_line) {
    out.slave.line = words[0];
  } else {
    const std::size_t colon = words[0].find(':');
    out.slave.host = words[0].substr(0, colon);
    const bool like_host = out.slave.host.find('.') != std::string::npos;
    const auto port = colon == std::string::npos ? std::optional<std::int64_t>(502)
                                                 : number(words[0].substr(colon + 1), 1, 65535);
    if (!like_host || !port) {
      std::vector<std::string_view> names;
      names.reserve(lines.size());
      for (const auto& line : lines) names.emplace_back(line.name);
      return tl::unexpected(fmt::format(
          "--slave {}: '{}' is neither a line that there is nor a host such as 192.168.1.30{}",
          shown(out.slave.name), shown(words[0].substr(0, 40)),
          shown(model::did_you_mean(words[0], names))));
    }
    out.slave.port = *port;
  }
  if (next < words.size()) {
    const auto unit = number(words[next], on_line ? 1 : 0, on_line ? 247 : 255);
    if (unit) {
      out.slave.unit = unit;
      ++next;
    } else if (on_line || number(words[next], 0, 1'000'000)) {
      return tl::unexpected(fmt::format("--slave {}: unit '{}' is not {}", shown(out.slave.name),
                                        shown(words[next].substr(0, 40)),
                                        on_line ? "1 to 247" : "0 to 255"));
    }
  }
  if (on_line && !out.slave.unit) {
    return tl::unexpected(fmt::format("--slave {}: a slave on a line has a unit, e.g. {}={},12",
                                      shown(out.slave.name), shown(out.slave.name),
                                      shown(out.slave.line)));
  }
  if (next < words.size() && !is_numbering(words[next])) out.map_file = words[next++];
  if (model::equal_in_any_case(out.map_file, "ascii") ||
      model::equal_in_any_case(out.map_file, "rtu")) {
    return tl::unexpected(mode_of_slave(out, out.map_file));
  }
  if (next < words.size() && is_numbering(words[next])) out.numbering = words[next++];
  if (next < words.size()) {
    return tl::unexpected(
        fmt::format("--slave {}: '{}' is too much; it takes a line or host, a unit, a map and how "
                    "its manual counts: from-0, from-1 or reference",
                    shown(out.slave.name), shown(words[next].substr(0, 40))));
  }
  return out;
}

}  // namespace greymet::cli
