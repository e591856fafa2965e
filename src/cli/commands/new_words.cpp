#include "new_words.h"

#include <algorithm>
#include <charconv>
#include <optional>

#include <fmt/format.h>

#include "cli/terminal.h"
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

}  // namespace

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
  const auto words = split(parts->second, ',');
  const auto baud = words.size() == 3 ? number(words[1], 50, 10'000'000) : std::nullopt;
  const bool mode = words[0] == "rtu" || words[0] == "ascii";
  if (!mode || !baud || !model::character_format_from(words[2])) {
    return tl::unexpected(
        fmt::format("--line takes NAME=rtu|ascii,BAUD,FORMAT, e.g. {}; found '{}'", example,
                    shown(text.substr(0, 60))));
  }
  line.mode = words[0];
  line.baud = *baud;
  line.format = words[2];
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
  if (next < words.size()) out.map_file = words[next++];
  if (next < words.size()) {
    return tl::unexpected(
        fmt::format("--slave {}: '{}' is too much; it takes a line or host, a unit and a map",
                    shown(out.slave.name), shown(words[next].substr(0, 40))));
  }
  return out;
}

}  // namespace greymet::cli
