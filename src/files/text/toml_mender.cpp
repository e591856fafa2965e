#include "toml_mender.h"

#include <algorithm>

#include <fmt/format.h>
#include <toml++/toml.h>

#include "model/text_slips.h"
#include "model/utf8_text.h"
#include "toml_hints.h"
#include "toml_marks.h"
#include "toml_slips.h"

namespace greymet::files::internal {

using model::Finding;
using model::Range;
using model::RuleCode;
using model::Severity;

namespace {

constexpr int most_mended = 20;  // each costs a parse
constexpr std::size_t largest_mended = std::size_t{2} << 20;
constexpr std::size_t largest_tried = std::size_t{512} << 10;  // three readings a mark

// From the begin of its line.
std::size_t column_in_line(std::string_view text, std::size_t at) {
  const std::size_t line = at == 0 ? std::string_view::npos : text.rfind('\n', at - 1);
  return line == std::string_view::npos ? at : at - line - 1;
}

std::optional<std::size_t> first_error_of(std::string_view text) {
  try {
    (void)toml::parse(text);
    return std::nullopt;
  } catch (const toml::parse_error& error) {
    const auto& begin = error.source().begin;
    return SourceText(text).offset(begin.line, begin.column);
  }
}

std::string_view trimmed_end(std::string_view text) {
  const std::size_t last = text.find_last_not_of(" \t\r");
  return last == std::string_view::npos ? std::string_view() : text.substr(0, last + 1);
}

}  // namespace

Finding syntax_finding(Range place, std::string message, std::string remedy) {
  return {.rule = RuleCode::P01,
          .severity = Severity::error,
          .place = place,
          .subject = {},
          .message = std::move(message),
          .remedy = std::move(remedy)};
}

bool TomlMender::mend(std::string description, std::uint32_t line_number, std::uint32_t column) {
  const SourceText source(text_);
  const std::string_view line = source.line(line_number);
  const std::size_t at = source.offset(line_number, column);
  const std::size_t in_line =
      line.empty() ? 0 : at - static_cast<std::size_t>(line.data() - text_.data());
  const Range place{file_, line_number, column, 0, 0};
  const bool again = !reported_.insert({line_number, column}).second;
  const bool mendable = text_.size() <= largest_mended && ++count_ <= most_mended;
  const std::vector<TomlNode> nodes = mendable ? scan_toml(text_) : std::vector<TomlNode>{};
  if (mendable && !again && mend_twice(source, nodes, at)) return true;
  auto slip = mendable && !again ? slip_at(source, at) : std::nullopt;
  if (!slip && mendable && !again) slip = wrong_mark_at(source, nodes, at);
  if (slip && slip->mended) {
    // no column moves: all the rest is read
    report(std::move(slip->finding));
    text_ = std::move(*slip->mended);
    return true;
  }
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
  const bool has_no_value = trimmed_end(line.substr(0, in_line)).ends_with('=');
  const TomlNode* const culprit = open != nullptr ? open : hint ? row : nullptr;
  const bool goes_on =
      mendable && ((culprit != nullptr && set_value_aside(source, *culprit)) ||
                   set_aside(source, nodes, at) || (again && set_before_aside(nodes, at)));
  if (again && goes_on) return true;  // one place, one finding
  if (again) return false;
  if (slip) {
    report(std::move(slip->finding));
    return goes_on;
  }
  if (!hint && has_no_value) {
    hint = "behind the = stands no value: write one, or leave the key out";
  }
  if (!hint) {
    hint = goes_on ? "correct this place; what stands in it has not been read"
                   : "correct this place; the rest of the file has not been read";
  }
  constexpr std::string_view prefix = "Error while parsing ";
  if (description.starts_with(prefix)) description = description.substr(prefix.size());
  Finding finding = syntax_finding(place, std::move(description), std::move(*hint));
  if (cure) add_fix(finding, *cure);
  report(std::move(finding));
  return goes_on;
}

void TomlMender::report(model::Finding finding) {
  const Range& place = finding.place;
  const bool told = std::any_of(findings_.begin(), findings_.end(), [&](const Finding& each) {
    return each.place.file == file_ && each.place.line == place.line &&
           each.place.column == place.column;
  });
  if (!told) findings_.push_back(std::move(finding));
}

std::optional<TomlMender::Slip> TomlMender::wrong_mark_at(const SourceText& source,
                                                          const std::vector<TomlNode>& nodes,
                                                          std::size_t at) const {
  if (text_.size() > largest_tried) return std::nullopt;
  const Way way = way_to(nodes, at);
  const bool in_list = std::any_of(way.begin(), way.end(), [&](const TomlNode* node) {
    return part(node->value).starts_with('[');
  });
  auto wrong = wrong_mark(text_, at, unclosed_before(nodes, at), in_list, first_error_of);
  if (!wrong) return std::nullopt;
  Slip slip;
  slip.finding = syntax_finding(source.range(wrong->place.begin, wrong->place.end, file_),
                                std::move(wrong->message), "");
  model::Fix fix{std::move(wrong->title), {}, true};
  for (MarkEdit& each : wrong->edits) {
    fix.edits.push_back({source.range(each.at, each.at + each.count, file_), std::move(each.with)});
  }
  add_fix(slip.finding, std::move(fix));
  slip.mended = std::move(wrong->mended);
  return slip;
}

std::optional<TomlMender::Slip> TomlMender::slip_at(const SourceText& source,
                                                    std::size_t at) const {
  if (text_.size() > largest_tried) return std::nullopt;
  const auto missing = missing_mark(text_, at, first_error_of);
  if (!missing) return std::nullopt;
  Slip slip;
  slip.mended = with_mark_in_place(text_, *missing);
  const Range place = source.range(missing->at - 1, missing->at, file_);
  std::string title;
  if (missing->mark == ',') {
    const std::string_view next =
        word_at(source.line(source.range(at, at + 1, file_).line), column_in_line(text_, at));
    const bool same_line = source.range(at, at + 1, file_).line == place.line;
    slip.finding = syntax_finding(
        place,
        same_line ? fmt::format("a comma is missing before `{}`", model::quoted_start(next))
                  : fmt::format("a comma is missing at the end of line {}", place.line),
        "");
    title = same_line ? fmt::format("write a comma before `{}`", model::quoted_start(next))
                      : fmt::format("write {},", text_[missing->at - 1]);
  } else {
    std::string_view begin = std::string_view(text_).substr(missing->begin);
    begin = begin.substr(0, missing->at - missing->begin);
    slip.finding = syntax_finding(source.range(missing->begin, missing->begin + 1, file_),
                                  fmt::format("the text that begins with {} has no closing quote",
                                              model::quoted_start(begin)),
                                  "");
    title = fmt::format("write {}{}", model::quoted_start(begin), missing->mark);
  }
  const std::string last(1, text_[missing->at - 1]);
  model::Fix fix = model::write_instead(place, last + missing->mark, true);
  fix.title = std::move(title);
  add_fix(slip.finding, std::move(fix));
  return slip;
}

std::optional<model::Fix> TomlMender::cure_of(const SourceText& source,
                                              const std::vector<TomlNode>& nodes,
                                              std::size_t at) const {
  const Way way = way_to(nodes, at);
  if (way.empty() || way.back()->value.empty()) return std::nullopt;
  const Span value = way.back()->value;
  const auto right = right_value(part(value));
  if (!right) return std::nullopt;
  return model::write_instead(source.range(value.begin, value.end, file_), *right, true);
}

TomlMender::Way TomlMender::way_to(const std::vector<TomlNode>& nodes, std::size_t at) {
  Way way;
  const std::vector<TomlNode>* level = &nodes;
  while (true) {
    // the last one that begins at or before the byte
    const auto next =
        std::upper_bound(level->begin(), level->end(), at,
                         [](std::size_t spot, const TomlNode& n) { return spot < n.whole.begin; });
    if (next == level->begin()) return way;
    const TomlNode& node = *std::prev(next);
    if (!way.empty() && at > node.whole.end) return way;
    way.push_back(&node);
    level = &node.parts;
  }
}

const TomlNode* TomlMender::broken_row(const std::vector<TomlNode>& nodes, std::size_t at) const {
  for (const TomlNode* node : way_to(nodes, at)) {
    const std::string_view value = part(node->value);
    if (value.starts_with('{') && value.find('\n') != std::string_view::npos) return node;
  }
  return nullptr;
}

const TomlNode* TomlMender::unclosed_before(const std::vector<TomlNode>& nodes, std::size_t at) {
  const auto next =
      std::upper_bound(nodes.begin(), nodes.end(), at,
                       [](std::size_t spot, const TomlNode& n) { return spot < n.whole.begin; });
  for (auto node = next; node != nodes.begin() && next - node < 2;) {
    --node;
    if (const TomlNode* found = unclosed_in(*node, at)) return found;
  }
  return nullptr;
}

const TomlNode* TomlMender::unclosed_in(const TomlNode& node, std::size_t at) {
  for (const TomlNode& each : node.parts) {
    if (each.whole.begin > at) break;
    if (const TomlNode* found = unclosed_in(each, at)) return found;
  }
  return node.closed || node.value.begin > at ? nullptr : &node;
}

std::string_view TomlMender::part(const Span& span) const {
  return std::string_view(text_).substr(span.begin, span.end - span.begin);
}

bool TomlMender::mend_twice(const SourceText& source, const std::vector<TomlNode>& nodes,
                            std::size_t at) {
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

bool TomlMender::written_before(const std::vector<TomlNode>& level, std::size_t index) const {
  const std::string_view key = part(level[index].key);
  for (std::size_t i = index; i > 0 && level[i - 1].kind == TomlKind::pair; --i) {
    if (part(level[i - 1].key) == key) return true;
  }
  return false;
}

void TomlMender::report_twice(Range place, std::string_view name, std::optional<Range> first,
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

bool TomlMender::mend_header(const SourceText& source, const std::vector<TomlNode>& nodes,
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

bool TomlMender::set_key_aside(const SourceText& source, const TomlNode& pair) {
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

bool TomlMender::set_aside(const SourceText& source, const std::vector<TomlNode>& nodes,
                           std::size_t at) {
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

bool TomlMender::set_before_aside(const std::vector<TomlNode>& nodes, std::size_t at) {
  const auto next =
      std::upper_bound(nodes.begin(), nodes.end(), at,
                       [](std::size_t spot, const TomlNode& n) { return spot < n.whole.begin; });
  if (next - nodes.begin() < 2) return false;
  blank(std::prev(next, 2)->whole, ' ');
  return true;
}

bool TomlMender::set_value_aside(const SourceText& source, const TomlNode& node) {
  const Range place = source.range(node.value.begin, node.value.end, file_);
  if (!refused_values_.insert({place.line, place.column}).second) return false;
  blank(node.value, '0');
  return true;
}

void TomlMender::blank(const Span& span, char first) {
  std::string blanks;
  for (std::size_t i = span.begin; i < span.end; i = model::advance(text_, i, 1)) {
    blanks += text_[i] == '\n' ? '\n' : ' ';
  }
  if (!blanks.empty() && first != ' ') blanks.front() = first;
  text_.replace(span.begin, span.end - span.begin, blanks);
}

}  // namespace greymet::files::internal
