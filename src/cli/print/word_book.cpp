#include "cli/word_book.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "cli/embedded_files.h"
#include "model/ascii_text.h"

namespace greymet::cli {

namespace {

std::string_view trimmed_blanks(std::string_view text) {
  while (text.starts_with(' ')) text.remove_prefix(1);
  while (text.ends_with(' ')) text.remove_suffix(1);
  return text;
}

// Cells of a row, without the bars at its ends.
std::vector<std::string_view> cells_of(std::string_view row) {
  std::vector<std::string_view> cells;
  row.remove_prefix(1);
  if (row.ends_with('|')) row.remove_suffix(1);
  for (std::size_t from = 0; from <= row.size();) {
    const std::size_t end = std::min(row.find(" | ", from), row.size());
    cells.push_back(trimmed_blanks(row.substr(from, end - from)));
    from = end + (end == row.size() ? 1 : 3);
  }
  return cells;
}

// "[map](register-maps.md)" as "map".
std::string without_links(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const std::size_t middle = text[i] == '[' ? text.find("](", i) : std::string_view::npos;
    const std::size_t end = middle == std::string_view::npos ? middle : text.find(')', middle);
    // one link, not a bracket of a key before it
    if (end == std::string_view::npos || text.substr(i + 1, middle - i - 1).find('[') < middle) {
      out += text[i];
      continue;
    }
    out += text.substr(i + 1, middle - i - 1);
    i = end;
  }
  return out;
}

bool is_key(std::string_view text) {
  return !text.empty() && std::all_of(text.begin(), text.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '_';
  });
}

// The keys in backticks of a first cell.
std::vector<std::string> keys_in(std::string_view cell) {
  std::vector<std::string> keys;
  for (std::size_t at = cell.find('`'); at != std::string_view::npos; at = cell.find('`', at)) {
    const std::size_t end = cell.find('`', at + 1);
    if (end == std::string_view::npos) break;
    if (is_key(cell.substr(at + 1, end - at - 1))) {
      keys.emplace_back(cell.substr(at + 1, end - at - 1));
    }
    at = end + 1;
  }
  return keys;
}

template <class Visit>
void for_each_line(std::string_view text, const Visit& visit) {
  for (std::size_t from = 0; from < text.size();) {
    const std::size_t end = std::min(text.find('\n', from), text.size());
    visit(text.substr(from, end - from));
    from = end + 1;
  }
}

std::string with_words(std::string_view text, std::string_view from, std::string_view to) {
  std::string out(text);
  for (std::size_t at = out.find(from); at != std::string::npos; at = out.find(from, at)) {
    out.replace(at, from.size(), to);
    at += to.size();
  }
  return out;
}

}  // namespace

WordBook::WordBook(std::string_view glossary, std::string_view plan_page) {
  for_each_line(glossary, [&](std::string_view line) {
    if (!line.starts_with("| **")) return;
    const auto cells = cells_of(line);
    const std::size_t end = cells[0].find("**", 2);
    if (cells.size() < 2 || end == std::string_view::npos) return;
    const std::string word(cells[0].substr(2, end - 2));
    Entry entry{{word}, {word, without_links(cells[1]), {}}};
    std::string_view also = trimmed_blanks(cells[0].substr(end + 2));
    if (also.starts_with('(') && also.ends_with(')')) {
      also = also.substr(1, also.size() - 2);
      for (std::size_t from = 0; from <= also.size();) {
        const std::size_t comma = std::min(also.find(", ", from), also.size());
        if (comma > from) entry.names.emplace_back(also.substr(from, comma - from));
        from = comma + 2;
      }
    }
    glossary_words_.push_back(word);
    entries_.push_back(std::move(entry));
  });
  std::string section;
  for_each_line(plan_page, [&](std::string_view line) {
    if (line.starts_with("##")) {
      line.remove_prefix(std::min(line.find_first_not_of("# "), line.size()));
      section = with_words(line, "`", "");
    }
    if (!line.starts_with("| ")) return;
    const auto cells = cells_of(line);
    if (cells.size() < 2) return;
    for (const std::string& key : keys_in(cells[0])) {
      const std::string where =
          section.starts_with("[") ? "a key of " + section : "a key under \"" + section + "\"";
      entries_.push_back({{key},
                          {fmt::format("`{}`, {}", key, where), without_links(cells[1]),
                           cells.size() > 2 ? without_links(cells[2]) : std::string()},
                          section});
    }
  });
}

std::vector<WordMeaning> WordBook::meanings_of(std::string_view word) const {
  std::string wanted(word);
  std::erase_if(wanted, [](char c) { return c == '`' || c == '='; });
  wanted = std::string(trimmed_blanks(wanted));
  std::vector<WordMeaning> out;
  for (const Entry& entry : entries_) {
    const bool is_it = std::any_of(entry.names.begin(), entry.names.end(), [&](const auto& name) {
      return model::equal_in_any_case(name, wanted);
    });
    if (is_it) out.push_back(entry.meaning);
  }
  return out;
}

std::vector<WordMeaning> WordBook::meanings_under(std::string_view heading,
                                                  std::string_view key) const {
  std::vector<WordMeaning> out;
  for (const Entry& entry : entries_) {
    if (entry.heading == heading && entry.names.front() == key) out.push_back(entry.meaning);
  }
  return out;
}

std::vector<std::string> WordBook::words() const {
  std::set<std::string> all;
  for (const Entry& entry : entries_) all.insert(entry.names.begin(), entry.names.end());
  return {all.begin(), all.end()};
}

namespace {

// Headings under which the page tells of a table's keys.
std::vector<std::string_view> headings_of(std::string_view path) {
  using Row = std::pair<std::string_view, std::vector<std::string_view>>;
  static const std::vector<Row> rows{
      {"plan", {"[plan]"}},
      {"controller.*.memory", {"[controller.NAME.memory]"}},
      {"controller.*.answers", {"[controller.NAME]", "[gateway.NAME]", "[slave.NAME]"}},
      {"controller", {"[controller.NAME]"}},
      {"line", {"[line.NAME]"}},
      {"gateway", {"[gateway.NAME]"}},
      {"slave.*.settings", {"[line.NAME]"}},
      {"slave", {"[slave.NAME]", "Slaves that are alike"}},
      {"exchange.transactions", {"A transaction"}},
      {"exchange.copies", {"Copies"}},
      {"exchange.wants", {"Wants"}},
      {"exchange", {"[exchange]"}},
      {"supervision.heartbeats", {"Heartbeats"}},
      {"supervision.paths", {"Paths"}},
      {"supervision", {"[supervision]"}},
      {"review", {"[review]"}},
      {"model", {"Controller model"}}};
  for (const auto& [begin, headings] : rows) {
    if (path.starts_with(begin)) return headings;
  }
  return {};
}

}  // namespace

std::string key_help(std::string_view path, std::string_view key) {
  for (const std::string_view heading : headings_of(path)) {
    const auto meanings = word_book().meanings_under(heading, key);
    if (meanings.empty()) continue;
    const WordMeaning& first = meanings.back();  // the one of its own row
    return first.usual.empty() || first.usual == "required"
               ? first.text
               : fmt::format("{} (if it is left out: {})", first.text, first.usual);
  }
  return {};
}

const WordBook& word_book() {
  static const WordBook book = [] {
    std::string_view glossary;
    std::string_view plan_page;
    for (const EmbeddedFile& page : embedded_pages()) {
      (page.name == "glossary.md" ? glossary : plan_page) = page.content;
    }
    return WordBook(glossary, plan_page);
  }();
  return book;
}

}  // namespace greymet::cli
