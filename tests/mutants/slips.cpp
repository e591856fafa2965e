#include "slips.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <optional>
#include <set>

#include <fmt/format.h>

#include "files/toml_scan.h"

namespace greymet::mutants {

using files::Span;
using files::TomlKind;
using files::TomlNode;

std::string_view to_string(SlipClass c) {
  switch (c) {
    case SlipClass::number: return "numbers";
    case SlipClass::notation: return "notations of addresses";
    case SlipClass::duration: return "durations";
    case SlipClass::memory: return "memory of controllers";
    case SlipClass::choice: return "words of a few";
    case SlipClass::name: return "names of the same kind";
    case SlipClass::key_left_out: return "keys left out";
    case SlipClass::row: return "rows and blocks";
    case SlipClass::map_cell: return "cells of register maps";
    case SlipClass::tag_cell: return "cells of tag tables";
  }
  return {};
}

namespace {

bool is_number(std::string_view text) {
  return !text.empty() && std::all_of(text.begin(), text.end(),
                                      [](unsigned char c) { return std::isdigit(c) != 0; });
}

// The first two unlike digits beside each other, changed round.
std::optional<std::string> digits_swapped(std::string text) {
  for (std::size_t i = 0; i + 1 < text.size(); ++i) {
    const auto digit = [&](std::size_t at) {
      return std::isdigit(static_cast<unsigned char>(text[at])) != 0;
    };
    if (!digit(i) || !digit(i + 1) || text[i] == text[i + 1]) continue;
    if (text[i + 1] == '0' && i == 0) continue;  // no number begins with 0
    std::swap(text[i], text[i + 1]);
    return text;
  }
  return std::nullopt;
}

std::vector<std::string> numbers_near(const std::string& text) {
  const long value = std::stol(text);
  std::vector<std::string> out{std::to_string(value + 1), std::to_string(value * 10),
                               std::to_string(value * 1000)};
  if (value > 0) out.push_back(std::to_string(value - 1));
  if (value >= 10) out.push_back(std::to_string(value / 10));
  if (auto swapped = digits_swapped(text)) out.push_back(*swapped);
  std::erase(out, text);
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

std::string unquoted(std::string_view value) {
  if (value.size() >= 2 && (value.front() == '"' || value.front() == '\'')) {
    value = value.substr(1, value.size() - 2);
  }
  return std::string(value);
}

const std::map<std::string, std::vector<std::string>>& choices() {
  static const std::map<std::string, std::vector<std::string>> all{
      {"mode", {"rtu", "ascii"}},
      {"format", {"8E1", "8N1", "8N2", "8O1", "7E1"}},
      {"medium", {"rs485", "rs232"}},
      {"order", {"due", "list"}},
      {"on_loss", {"hold", "zero", "stop", "warn", "alarm"}},
      {"word_order", {"ABCD", "CDAB"}},
      {"swap", {"ABCD", "CDAB"}},
      {"sends", {"scan", "anytime"}},
      {"numbering", {"from-0", "from-1", "reference"}},
      {"map_covers", {"all", "some"}},
      {"connect", {"each", "keep"}},
      {"framing", {"tcp", "rtu"}},
      {"packing", {"bits-to-words", "words-to-bits"}},
      {"on_silence", {"exception", "nothing"}},
      {"every", {"continuous"}},
      {"on", {"start"}}};
  return all;
}

const std::array functions{1, 2, 3, 4, 5, 6, 15, 16};

class Slips {
 public:
  Slips(const Files& files, std::string plan_path, const model::ResolvedPlan& plan)
      : files_(files), plan_path_(std::move(plan_path)), plan_(plan) {}

  std::vector<Slip> all() {
    for (const auto& [file, text] : files_) {
      file_ = file;
      text_ = &text;
      if (file == plan_path_) {
        of_plan();
      } else if (file.ends_with(".csv")) {
        of_table();
      }
    }
    return std::move(out_);
  }

 private:
  [[nodiscard]] std::string part(const Span& span) const {
    return text_->substr(span.begin, span.end - span.begin);
  }
  void add(SlipClass kind, const Span& span, const std::string& with, const std::string& key,
           const std::string& what) {
    Slip slip;
    slip.kind = kind;
    slip.file = file_;
    slip.line =
        1 + static_cast<std::uint32_t>(std::count(
                text_->begin(), text_->begin() + static_cast<std::ptrdiff_t>(span.begin), '\n'));
    slip.key = key;
    slip.row = row_;
    slip.what = what;
    slip.text = text_->substr(0, span.begin) + with + text_->substr(span.end);
    if (slip.text != *text_) out_.push_back(std::move(slip));
  }
  void instead(SlipClass kind, const TomlNode& pair, const std::string& with) {
    const std::string key = part(pair.key);
    add(kind, pair.value, with, key, fmt::format("{} = {} -> {}", key, part(pair.value), with));
  }

  void of_plan() {
    for (const TomlNode& node : files::scan_toml(*text_)) {
      if (node.kind == TomlKind::header || node.kind == TomlKind::array_header) {
        section_ = part(node.key);
        row_ = section_;
        continue;
      }
      if (section_ == "plan" || section_ == "review") continue;  // nothing that is carried out
      row_ = section_;
      of_pair(node, false);
    }
  }

  void of_pair(const TomlNode& pair, bool in_row) {
    const std::string key = part(pair.key);
    if (key == "name" || key == "why" || key == "note" || key == "title") return;
    left_out(pair, in_row);
    const std::string value = part(pair.value);
    if (!pair.parts.empty()) {
      const bool rows = std::all_of(pair.parts.begin(), pair.parts.end(), [](const TomlNode& e) {
        return e.kind == TomlKind::element && !e.parts.empty();
      });
      if (rows) return of_rows(pair);
      for (const TomlNode& each : pair.parts) {
        if (each.kind == TomlKind::pair) {
          of_pair(each, true);
        } else {
          of_value(key, each);
        }
      }
      return;
    }
    of_value(key, pair);
  }

  void of_rows(const TomlNode& list) {
    // what is wanted of an exchange is no part of it
    if (part(list.key) == "wants" || part(list.key) == "paths") return;
    for (std::size_t i = 0; i < list.parts.size(); ++i) {
      const TomlNode& row = list.parts[i];
      row_ = section_ + " " + part(list.key) + " " + std::to_string(i + 1);
      for (const TomlNode& pair : row.parts) {
        if (part(pair.key) == "name") row_ = unquoted(part(pair.value));
      }
      const std::string text = part(row.whole);
      const std::size_t comma = text_->find(',', row.whole.end);
      const bool has_comma =
          comma != std::string::npos && text_->find_first_not_of(" \t", row.whole.end) == comma;
      add(SlipClass::row, {row.whole.begin, has_comma ? comma + 1 : row.whole.end}, "", "row",
          "the row is lost");
      add(SlipClass::row, {row.whole.end, row.whole.end}, ",\n  " + text, "row",
          "the row stands twice");
      std::string half = text;
      const std::size_t name = half.find("name");
      if (name != std::string::npos) {
        const std::size_t quote = half.find('"', name);
        half.insert(quote + 1, "copy-of-");
        add(SlipClass::row, {row.whole.end, row.whole.end}, ",\n  " + half, "row",
            "the row is copied, its name changed");
      }
      if (i + 1 < list.parts.size()) swapped(row, list.parts[i + 1]);
      for (const TomlNode& pair : row.parts) of_pair(pair, true);
    }
  }

  // One value of two rows that stand below each other, changed round.
  void swapped(const TomlNode& a, const TomlNode& b) {
    for (const char* key : {"at", "into", "from", "count", "slave"}) {
      const auto value_in = [&](const TomlNode& row) -> const TomlNode* {
        for (const TomlNode& pair : row.parts) {
          if (part(pair.key) == key) return &pair;
        }
        return nullptr;
      };
      const TomlNode* first = value_in(a);
      const TomlNode* second = value_in(b);
      if (first == nullptr || second == nullptr) continue;
      const std::string one = part(first->value);
      const std::string other = part(second->value);
      if (one == other) continue;
      const Span span{first->value.begin, second->value.end};
      const std::string between =
          text_->substr(first->value.end, second->value.begin - first->value.end);
      add(SlipClass::row, span, other + between + one, key,
          fmt::format("{} changed round with the next row", key));
    }
  }

  void left_out(const TomlNode& pair, bool in_row) {
    const std::string key = part(pair.key);
    Span span = pair.whole;
    if (in_row) {
      // with the comma behind it, or the one before
      const std::size_t behind = text_->find_first_not_of(" \t", span.end);
      if (behind != std::string::npos && (*text_)[behind] == ',') {
        span.end = behind + 1;
      } else {
        const std::size_t before = text_->find_last_not_of(" \t\n", span.begin - 1);
        if (before != std::string::npos && (*text_)[before] == ',') span.begin = before;
      }
    } else if (pair.parts.size() > 3) {
      return;  // a whole list
    }
    add(SlipClass::key_left_out, span, "", key, fmt::format("{} is left out", key));
  }

  void of_value(const std::string& key, const TomlNode& node) {
    const std::string value = part(node.value);
    const auto with = [&](SlipClass kind, const std::string& text) {
      add(kind, node.value, text, key, fmt::format("{} = {} -> {}", key, value, text));
    };
    if (value.starts_with("0x")) {
      with(SlipClass::notation, std::to_string(std::stol(value.substr(2), nullptr, 10)));
      with(SlipClass::number, fmt::format("0x{:04x}", std::stol(value, nullptr, 16) + 1));
      return;
    }
    if (is_number(value)) {
      if (key == "fc") {
        for (const int f : functions) {
          if (std::to_string(f) != value) with(SlipClass::choice, std::to_string(f));
        }
        return;
      }
      for (const std::string& near : numbers_near(value)) with(SlipClass::number, near);
      if (key == "at") {
        if (value.size() >= 2) with(SlipClass::notation, "0x" + value);
        with(SlipClass::notation, std::to_string(40001 + std::stol(value)));
      }
      return;
    }
    const std::string text = unquoted(value);
    if (text == value) return;  // no text, no number
    of_text(key, text, with);
  }

  template <class With>
  void of_text(const std::string& key, const std::string& text, const With& with) {
    if (text.starts_with("%M") || text.starts_with("DB")) return of_memory(text, with);
    const auto known = choices().find(key);
    if (known != choices().end()) {
      for (const std::string& other : known->second) {
        if (other != text) with(SlipClass::choice, '"' + other + '"');
      }
    }
    const std::size_t digits = text.find_first_not_of("0123456789.");
    const std::string unit = digits == std::string::npos ? std::string() : text.substr(digits);
    if (digits != 0 && (unit == "ms" || unit == "s" || unit == "min" || unit == "h")) {
      const std::string number = text.substr(0, digits);
      with(SlipClass::duration, '"' + number + (unit == "ms" ? "s" : "ms") + '"');
      if (is_number(number)) {
        with(SlipClass::duration, '"' + number + "0" + unit + '"');
        if (number.ends_with('0')) {
          with(SlipClass::duration, '"' + number.substr(0, number.size() - 1) + unit + '"');
        }
        if (auto swapped = digits_swapped(number)) {
          with(SlipClass::duration, '"' + *swapped + unit + '"');
        }
      }
      return;
    }
    of_name(key, text, with);
  }

  template <class With>
  void of_memory(const std::string& text, const With& with) {
    const std::size_t first = text.find_first_of("0123456789", 2);
    if (first == std::string::npos) return;
    const std::size_t end = std::min(text.find_first_not_of("0123456789", first), text.size());
    const std::string head = text.substr(0, first);
    const std::string tail = text.substr(end);
    const std::string number = text.substr(first, end - first);
    for (const std::string& near : numbers_near(number)) {
      with(SlipClass::memory, '"' + head + near + tail + '"');
    }
    if (tail.size() > 1 && tail[0] == '.' && is_number(tail.substr(1))) {
      const int bit = std::stoi(tail.substr(1));
      with(SlipClass::memory, fmt::format("\"{}{}.{}\"", head, number, bit + 1));
    }
    if (head == "%MW") with(SlipClass::memory, "\"%MX" + number + "\"");
  }

  template <class With>
  void of_name(const std::string& key, const std::string& text, const With& with) {
    std::vector<std::string> names;
    const auto collect = [&](const auto& things) {
      for (const auto& thing : things) names.push_back(thing.name);
    };
    if (key == "slave") collect(plan_.plan.slaves);
    if (key == "line") collect(plan_.plan.lines);
    if (key == "via") collect(plan_.plan.gateways);
    if (key == "controller" || key == "master") collect(plan_.plan.controllers);
    if (key == "points" || key == "at") {
      for (const model::RegisterMap& map : plan_.plan.maps) {
        const bool own = std::any_of(map.points().begin(), map.points().end(),
                                     [&](const model::Point& p) { return p.name == text; });
        if (!own) continue;
        for (const model::Point& p : map.points()) names.push_back(p.name);
        break;
      }
    }
    if (key == "map") {
      for (const auto& [file, ignored] : files_) {
        if (file.find("maps/") != std::string::npos && file.ends_with(".csv")) {
          names.push_back(file);
        }
      }
    }
    const auto at = std::find(names.begin(), names.end(), text);
    if (at == names.end() && key != "map") return;
    std::set<std::string> others;
    const auto own = at == names.end() ? names.begin() : at;
    if (own != names.begin()) others.insert(*std::prev(own));
    if (own != names.end() && std::next(own) != names.end()) others.insert(*std::next(own));
    others.erase(text);
    for (const std::string& other : others) with(SlipClass::name, '"' + other + '"');
  }

  // Tables without quotes that hold a delimiter, as ours are.
  void of_table() {
    const char delimiter = text_->find(';') < text_->find('\n') ? ';' : ',';
    std::vector<Span> lines;
    for (std::size_t at = 0; at < text_->size();) {
      const std::size_t end = std::min(text_->find('\n', at), text_->size());
      lines.push_back({at, end});
      at = end + 1;
    }
    if (lines.size() < 2) return;
    const auto cells_of = [&](const Span& line) {
      std::vector<Span> cells;
      for (std::size_t at = line.begin;;) {
        const std::size_t end = std::min(text_->find(delimiter, at), line.end);
        cells.push_back({at, end});
        if (end == line.end) break;
        at = end + 1;
      }
      return cells;
    };
    std::vector<std::string> header;
    for (const Span& cell : cells_of(lines[0])) header.push_back(part(cell));
    const bool tags = header.front() == "tag";
    const SlipClass kind = tags ? SlipClass::tag_cell : SlipClass::map_cell;
    for (std::size_t l = 1; l < lines.size(); ++l) {
      const auto cells = cells_of(lines[l]);
      if (lines[l].empty() || cells.size() != header.size()) continue;
      row_ = part(cells[0]);
      const auto with = [&](std::size_t c, const std::string& text) {
        add(kind, cells[c], text, header[c],
            fmt::format("{}: {} {} -> {}", row_, header[c], part(cells[c]), text));
      };
      for (std::size_t c = 1; c < cells.size(); ++c) {
        const std::string cell = part(cells[c]);
        if (cell.empty()) continue;
        if (header[c] == "address" && is_number(cell)) {
          with(c, std::to_string(std::stol(cell) + 1));
          if (auto swapped = digits_swapped(cell)) with(c, *swapped);
        } else if (header[c] == "address" && cell.starts_with("0x")) {
          with(c, cell.substr(2));
        } else if (header[c] == "address" && cell.starts_with("%M")) {
          of_memory(cell, [&](SlipClass, const std::string& text) { with(c, unquoted(text)); });
        } else if (header[c] == "type") {
          for (const auto& [from, to] :
               std::vector<std::pair<std::string, std::string>>{{"u16", "i16"},
                                                                {"i16", "u16"},
                                                                {"f32", "u32"},
                                                                {"u32", "u16"},
                                                                {"i32", "u32"},
                                                                {"REAL", "DINT"},
                                                                {"INT", "UINT"},
                                                                {"UINT", "INT"},
                                                                {"UDINT", "REAL"}}) {
            if (cell == from) with(c, to);
          }
        } else if (header[c] == "word_order") {
          with(c, cell == "ABCD" ? "CDAB" : "ABCD");
        } else if (header[c] == "factor") {
          with(c, cell + "0" == "0.10" ? "0.01" : "0.1");
        } else if (header[c] == "access") {
          with(c, cell == "r" ? "w" : "r");
        } else if (header[c] == "from" || header[c] == "to") {
          // that of the row before
          if (l > 1) {
            const auto above = cells_of(lines[l - 1]);
            if (above.size() == cells.size() && !part(above[c]).empty()) with(c, part(above[c]));
          }
        }
      }
      add(kind, {lines[l].begin, std::min(lines[l].end + 1, text_->size())}, "", "row",
          fmt::format("{}: the row is lost", row_));
    }
  }

  const Files& files_;
  std::string plan_path_;
  const model::ResolvedPlan& plan_;
  std::string file_;
  const std::string* text_ = nullptr;
  std::string section_;
  std::string row_;
  std::vector<Slip> out_;
};

}  // namespace

std::vector<Slip> slips_of(const Files& files, const std::string& plan_path,
                           const model::ResolvedPlan& plan) {
  return Slips(files, plan_path, plan).all();
}

}  // namespace greymet::mutants
