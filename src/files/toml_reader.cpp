#include "files/toml_reader.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>
#include <toml++/toml.h>

#include "files/source_text.h"
#include "files/toml_scan.h"
#include "model/ascii_text.h"
#include "model/duration_text.h"
#include "model/text_slips.h"
#include "model/utf8_text.h"
#include "toml_depth.h"
#include "toml_hints.h"

namespace greymet::files {

using internal::hint_for;
using internal::is_bare;
using internal::right_value;
using internal::word_at;
using model::Finding;
using model::Findings;
using model::Range;
using model::RuleCode;
using model::Severity;

namespace {

constexpr std::string_view foreign_name = "greymet-set-aside-";
constexpr int most_mended = 20;  // each costs a parse
constexpr std::size_t largest_mended = std::size_t{2} << 20;
constexpr std::size_t longest_line_looked_at = 20'000;  // looking costs time for each value

using Begin = std::pair<std::uint32_t, std::uint32_t>;  // line, column

Finding syntax_finding(Range place, std::string message, std::string remedy) {
  return {.rule = RuleCode::P01,
          .severity = Severity::error,
          .place = place,
          .subject = {},
          .message = std::move(message),
          .remedy = std::move(remedy)};
}

// Sets aside what cannot be read, so that the rest can: a value becomes a 0 that counts as refused,
// a key written twice a name that nobody looks for. Lines and columns stay what they were.
class Mender {
 public:
  Mender(std::string text, std::uint32_t file, Findings& findings)
      : text_(std::move(text)), file_(file), findings_(findings) {}

  [[nodiscard]] const std::string& text() const { return text_; }
  [[nodiscard]] const std::set<Begin>& dropped_keys() const { return dropped_keys_; }
  [[nodiscard]] const std::set<Begin>& refused_values() const { return refused_values_; }

  // Reports an error of the parser at a spot. False if reading cannot go on.
  bool mend(std::string description, const toml::source_position& position) {
    const SourceText source(text_);
    const std::string_view line = source.line(position.line);
    const std::size_t at = source.offset(position.line, position.column);
    const std::size_t in_line =
        line.empty() ? 0 : at - static_cast<std::size_t>(line.data() - text_.data());
    const Range place{file_, position.line, position.column, 0, 0};
    const bool again = !reported_.insert({position.line, position.column}).second;
    const bool mendable = text_.size() <= largest_mended && ++count_ <= most_mended;
    const std::vector<TomlNode> nodes = mendable ? scan_toml(text_) : std::vector<TomlNode>{};
    if (mendable && !again && mend_twice(source, nodes, at)) return true;
    const TomlNode* const row = broken_row(nodes, at);
    const TomlNode* const open = row == nullptr ? unclosed_before(nodes, at) : nullptr;
    auto hint = hint_for(line, in_line);
    const auto cure = row == nullptr && open == nullptr ? cure_of(source, nodes, at) : std::nullopt;
    if (open != nullptr) {
      const Range begin = source.range(open->value.begin, open->value.end, file_);
      const std::string_view bracket = text_[open->value.begin] == '{' ? "}" : "]";
      hint = fmt::format("close what begins in line {} with {}", begin.line, bracket);
    } else if (row != nullptr && in_line >= line.size()) {
      hint =
          "TOML allows no line break inside { }: write the row on one line, or as a "
          "[[exchange.transactions]] block";
    }
    const TomlNode* const culprit = open != nullptr ? open : hint ? row : nullptr;
    const bool goes_on =
        mendable && ((culprit != nullptr && set_value_aside(source, *culprit)) ||
                     set_aside(source, nodes, at) || (again && set_before_aside(nodes, at)));
    if (again && goes_on) return true;  // one place, one finding
    if (again) return false;
    if (!hint) {
      hint = goes_on ? "correct this place; what stands in it has not been read"
                     : "correct this place; the rest of the file has not been read";
    }
    constexpr std::string_view prefix = "Error while parsing ";
    if (description.starts_with(prefix)) description = description.substr(prefix.size());
    findings_.push_back(syntax_finding(place, std::move(description), std::move(*hint)));
    if (cure) add_fix(findings_.back(), *cure);
    return goes_on;
  }

 private:
  // The innermost value around a byte, written as TOML wants it; nothing where that is not plain.
  [[nodiscard]] std::optional<model::Fix> cure_of(const SourceText& source,
                                                  const std::vector<TomlNode>& nodes,
                                                  std::size_t at) const {
    const Way way = way_to(nodes, at);
    if (way.empty() || way.back()->value.empty()) return std::nullopt;
    const Span value = way.back()->value;
    const auto right = right_value(part(value));
    if (!right) return std::nullopt;
    return model::write_instead(source.range(value.begin, value.end, file_), *right, true);
  }

  using Way = std::vector<const TomlNode*>;  // from a statement to the innermost node

  // The nodes around a byte; the parser may stop just behind what it dislikes.
  static Way way_to(const std::vector<TomlNode>& nodes, std::size_t at) {
    Way way;
    const std::vector<TomlNode>* level = &nodes;
    while (true) {
      // the last one that begins at or before the byte
      const auto next = std::upper_bound(
          level->begin(), level->end(), at,
          [](std::size_t spot, const TomlNode& n) { return spot < n.whole.begin; });
      if (next == level->begin()) return way;
      const TomlNode& node = *std::prev(next);
      if (!way.empty() && at > node.whole.end) return way;
      way.push_back(&node);
      level = &node.parts;
    }
  }

  // An inline table around a byte that is broken over lines.
  [[nodiscard]] const TomlNode* broken_row(const std::vector<TomlNode>& nodes,
                                           std::size_t at) const {
    for (const TomlNode* node : way_to(nodes, at)) {
      const std::string_view value = part(node->value);
      if (value.starts_with('{') && value.find('\n') != std::string_view::npos) return node;
    }
    return nullptr;
  }

  // The innermost list or inline table that lacks its bracket, in the statement around a byte or in
  // the one that ends before it.
  static const TomlNode* unclosed_before(const std::vector<TomlNode>& nodes, std::size_t at) {
    const auto next =
        std::upper_bound(nodes.begin(), nodes.end(), at,
                         [](std::size_t spot, const TomlNode& n) { return spot < n.whole.begin; });
    for (auto node = next; node != nodes.begin() && next - node < 2;) {
      --node;
      if (const TomlNode* found = unclosed_in(*node, at)) return found;
    }
    return nullptr;
  }
  static const TomlNode* unclosed_in(const TomlNode& node, std::size_t at) {
    for (const TomlNode& each : node.parts) {
      if (each.whole.begin > at) break;
      if (const TomlNode* found = unclosed_in(each, at)) return found;
    }
    return node.closed || node.value.begin > at ? nullptr : &node;
  }

  [[nodiscard]] std::string_view part(const Span& span) const {
    return std::string_view(text_).substr(span.begin, span.end - span.begin);
  }

  // A header or key that stands there for the second time.
  bool mend_twice(const SourceText& source, const std::vector<TomlNode>& nodes, std::size_t at) {
    const Way way = way_to(nodes, at);
    if (way.empty()) return false;
    if (way.front()->kind != TomlKind::pair) return mend_header(source, nodes, *way.front());
    const std::vector<TomlNode>* level = &nodes;
    for (const TomlNode* node : way) {
      const auto index = static_cast<std::size_t>(node - level->data());
      if (node->kind == TomlKind::pair && written_before(*level, index)) {
        return set_key_aside(source, *node);
      }
      level = &node->parts;
    }
    return false;
  }

  // The same key earlier in the same table.
  [[nodiscard]] bool written_before(const std::vector<TomlNode>& level, std::size_t index) const {
    const std::string_view key = part(level[index].key);
    for (std::size_t i = index; i > 0 && level[i - 1].kind == TomlKind::pair; --i) {
      if (part(level[i - 1].key) == key) return true;
    }
    return false;
  }

  void report_twice(Range place, std::string_view name, std::optional<Range> first,
                    std::string remedy) {
    Finding finding{.rule = RuleCode::P04,
                    .severity = Severity::error,
                    .place = place,
                    .subject = {},
                    .message = fmt::format("{} is written twice", name.substr(0, 80)),
                    .remedy = std::move(remedy)};
    if (first) finding.related.push_back({*first, "first written here"});
    findings_.push_back(std::move(finding));
  }

  // A table opened twice; or blocks of a list that is written as rows as well: all of them.
  bool mend_header(const SourceText& source, const std::vector<TomlNode>& nodes,
                   const TomlNode& header) {
    const bool block = header.kind == TomlKind::array_header;
    const std::string_view name = part(header.key);
    const TomlNode* first = nullptr;
    std::vector<Span> again;
    std::string_view table;  // around each pair
    for (const TomlNode& node : nodes) {
      if (node.kind == TomlKind::pair) {
        const bool same = fmt::format("{}.{}", table, part(node.key)) == name;
        if (same && first == nullptr) first = &node;
        continue;
      }
      table = part(node.key);
      if (part(node.key) != name) continue;
      if (node.whole.begin >= header.whole.begin) {
        if (block || again.empty()) again.push_back(node.whole);
      } else if (first == nullptr) {
        first = &node;
      }
    }
    if (first == nullptr) return false;
    report_twice(source.range(header.whole.begin, header.whole.end, file_), part(header.whole),
                 source.range(first->whole.begin, first->whole.end, file_),
                 block ? "write the transactions as rows of one list, or all of them as blocks"
                       : "join the two tables, or give one of them another name");
    // from the last on, so that the places of the others stay right
    const std::string other = fmt::format("{}{}", foreign_name, count_);
    std::reverse(again.begin(), again.end());
    for (const Span& span : again) {
      text_.replace(span.begin, span.end - span.begin,
                    block ? "[[" + other + "]]" : "[" + other + "]");
    }
    return true;
  }

  // The key gets a name of the same length; our keys are lower-case, so this is none of them.
  bool set_key_aside(const SourceText& source, const TomlNode& pair) {
    const std::string name(part(pair.key));
    if (!std::all_of(name.begin(), name.end(), is_bare)) return false;
    const Range place = source.range(pair.key.begin, pair.key.end, file_);
    std::string other(name.size(), 'A');
    int rest = count_;
    for (auto c = other.rbegin(); c != other.rend(); ++c, rest /= 26) {
      *c = static_cast<char>('A' + rest % 26);
    }
    text_.replace(pair.key.begin, name.size(), other);
    report_twice(place, fmt::format("`{}`", name), std::nullopt, "keep one of the two");
    dropped_keys_.insert({place.line, place.column});
    return true;
  }

  // Replaces the innermost value around a byte; where that has been done in vain, the one around
  // it; at last the whole statement.
  bool set_aside(const SourceText& source, const std::vector<TomlNode>& nodes, std::size_t at) {
    const Way way = way_to(nodes, at);
    for (auto node = way.rbegin(); node != way.rend(); ++node) {
      const Span value = (*node)->value;
      const bool outermost = std::next(node) == way.rend();
      const bool breaks_row = !outermost && part(value).find('\n') != std::string_view::npos &&
                              part((*std::next(node))->value).starts_with('{');
      if (value.empty() || breaks_row) continue;
      if (set_value_aside(source, **node)) return true;
    }
    if (way.empty()) return false;
    const TomlNode& statement = *way.front();
    if (statement.kind == TomlKind::pair) {
      blank(statement.whole, ' ');
    } else if (part(statement.key).starts_with(foreign_name)) {
      return false;  // it has been set aside: the cause stands before it
    } else {
      // what follows belongs to a table whose name is not known
      text_.replace(statement.whole.begin, statement.whole.end - statement.whole.begin,
                    fmt::format("[{}{}]", foreign_name, count_));
    }
    return true;
  }

  // The statement in front of the one around a byte, as a whole.
  bool set_before_aside(const std::vector<TomlNode>& nodes, std::size_t at) {
    const auto next =
        std::upper_bound(nodes.begin(), nodes.end(), at,
                         [](std::size_t spot, const TomlNode& n) { return spot < n.whole.begin; });
    if (next - nodes.begin() < 2) return false;
    blank(std::prev(next, 2)->whole, ' ');
    return true;
  }

  // False if that has been done before.
  bool set_value_aside(const SourceText& source, const TomlNode& node) {
    const Range place = source.range(node.value.begin, node.value.end, file_);
    if (!refused_values_.insert({place.line, place.column}).second) return false;
    blank(node.value, '0');
    return true;
  }

  // A blank for each code point; line breaks stay.
  void blank(const Span& span, char first) {
    std::string blanks;
    for (std::size_t i = span.begin; i < span.end; i = model::advance(text_, i, 1)) {
      blanks += text_[i] == '\n' ? '\n' : ' ';
    }
    if (!blanks.empty() && first != ' ') blanks.front() = first;
    text_.replace(span.begin, span.end - span.begin, blanks);
  }

  std::string text_;
  std::uint32_t file_;
  Findings& findings_;
  int count_ = 0;
  std::set<Begin> dropped_keys_;
  std::set<Begin> refused_values_;
  std::set<Begin> reported_;
};

Range place_of(const toml::source_region& region, std::uint32_t file) {
  return {file, region.begin.line, region.begin.column, region.end.line, region.end.column};
}

// toml++ tree -> our tree, tables in the order of the file. What has been converted is released at
// once: of a large plan there is no room for both trees.
class Converter {
 public:
  Converter(const SourceText& source, const Mender& mender, std::uint32_t file, Findings& findings)
      : source_(source), mender_(mender), file_(file), findings_(findings) {}

  Value table(toml::table& in) {
    Value out;
    out.kind = ValueKind::table;
    out.place = place_of(in.source(), file_);
    out.entries.reserve(in.size());
    for (auto&& [key, node] : in) {
      const Range place = place_of(key.source(), file_);
      if (mender_.dropped_keys().contains({place.line, place.column}) ||
          std::string_view(key.str()).starts_with(foreign_name)) {
        continue;
      }
      out.entries.push_back({std::string(key.str()), place, value(node)});
    }
    std::sort(out.entries.begin(), out.entries.end(), [](const Entry& a, const Entry& b) {
      return std::tie(a.place, a.value.place) < std::tie(b.place, b.value.place);
    });
    in.clear();
    return out;
  }

 private:
  Value value(toml::node& node) {
    if (auto* sub = node.as_table()) return table(*sub);
    Value out;
    out.place = place_of(node.source(), file_);
    if (mender_.refused_values().contains({out.place.line, out.place.column})) {
      out.kind = ValueKind::refused;
    } else if (const auto* text = node.as_string()) {
      out.kind = ValueKind::text;
      out.text = text->get();
    } else if (const auto* integer = node.as_integer()) {
      out.kind = ValueKind::integer;
      out.integer = integer->get();
      const bool hex =
          (integer->flags() & toml::value_flags::format_as_hexadecimal) != toml::value_flags::none;
      out.text = hex ? fmt::format("0x{:X}", out.integer) : fmt::format("{}", out.integer);
      check_comment_behind(node.source(), out);
    } else if (const auto* real = node.as_floating_point()) {
      out.kind = ValueKind::real;
      out.real = real->get();
    } else if (const auto* boolean = node.as_boolean()) {
      out.kind = ValueKind::boolean;
      out.boolean = boolean->get();
    } else if (auto* array = node.as_array()) {
      out.kind = ValueKind::array;
      out.items.reserve(array->size());
      for (auto&& item : *array) out.items.push_back(value(item));
      array->clear();
    } else {
      out.kind = ValueKind::date;
    }
    return out;
  }

  // `at = 16#1000` is 16 and a comment.
  void check_comment_behind(const toml::source_region& region, const Value& number) {
    const std::string_view line = source_.line(region.end.line);
    if (line.size() > longest_line_looked_at || line.find('#') == std::string_view::npos) return;
    const std::size_t end = model::advance(line, 0, region.end.column - 1);
    if (end >= line.size() || line[end] != '#') return;
    const std::string_view word = word_at(line, end);
    findings_.push_back(
        {.rule = RuleCode::P05,
         .severity = Severity::error,
         .place = number.place,
         .subject = {},
         .message = fmt::format("TOML reads this as {} and a comment: '#' follows the number",
                                number.text),
         .remedy = fmt::format("write \"{}\" in quotes, or put a blank before a comment", word)});
  }

  const SourceText& source_;
  const Mender& mender_;
  std::uint32_t file_;
  Findings& findings_;
};

}  // namespace

std::optional<Value> read_toml(const std::string& text, std::uint32_t file, Findings& findings) {
  if (const std::size_t bad = model::first_bad_byte(text); bad != std::string::npos) {
    findings.push_back(syntax_finding(
        SourceText(text).range(bad, bad + 1, file),
        fmt::format("byte 0x{:02X} is no UTF-8 text", static_cast<unsigned char>(text[bad])),
        "save the file as UTF-8 text"));
    return std::nullopt;
  }
  Mender mender(text, file, findings);
  while (true) {
    if (const auto excess = internal::beyond_limits(mender.text())) {
      const bool deep = excess->of == internal::Excess::Of::nesting;
      findings.push_back(syntax_finding(
          SourceText(mender.text()).range(excess->at, excess->at + 1, file),
          deep ? fmt::format("lists, tables and keys nest more than {} deep",
                             internal::deepest_nesting)
               : fmt::format("more than {} keys, or entries of lists", internal::most_parts),
          deep ? "no plan needs that" : "split the plan"));
      return std::nullopt;
    }
    try {
      toml::table parsed = toml::parse(std::string_view(mender.text()));
      const SourceText source(mender.text());
      return Converter(source, mender, file, findings).table(parsed);
    } catch (const toml::parse_error& error) {
      if (!mender.mend(std::string(error.description()), error.source().begin)) {
        return std::nullopt;
      }
    }
  }
}

}  // namespace greymet::files
