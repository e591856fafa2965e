#include "exports/compare.h"

#include <algorithm>

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <nlohmann/json.hpp>

#include "files/json_text.h"
#include "files/table_json.h"
#include "model/utf8_text.h"
#include "workbook_diff.h"

namespace greymet::exports {

using Json = nlohmann::ordered_json;
namespace {

constexpr std::string_view mark = "sha256:";
constexpr std::size_t digits = 64;

// The fingerprint that a file names first; a workbook keeps it among its properties.
std::string fingerprint_in(std::string_view content) {
  std::string cells;
  if (content.starts_with("PK")) {
    // programs that save it again may drop its properties
    const auto sheets = files::read_workbook(std::string(content));
    if (!sheets) return {};
    for (const files::Sheet& sheet : *sheets) {
      if (sheet.name != "about") continue;
      for (const auto& row : sheet.rows) cells += fmt::format("{}\n", fmt::join(row, " "));
    }
    content = cells;
  }
  for (std::size_t at = content.find(mark); at != std::string_view::npos;
       at = content.find(mark, at + 1)) {
    const std::string_view text = content.substr(at, mark.size() + digits);
    const bool whole =
        text.size() == mark.size() + digits &&
        text.find_first_not_of("0123456789abcdef", mark.size()) == std::string_view::npos;
    if (whole) return std::string(text);
  }
  return {};
}

std::string_view line_at(std::string_view text, std::size_t begin) {
  std::string_view line = text.substr(begin, text.find('\n', begin) - begin);
  while (line.ends_with('\r')) line.remove_suffix(1);
  return line;
}

// Without what editors and version control do to the ends of lines, and a byte order mark.
std::string with_plain_line_ends(std::string_view text) {
  constexpr std::string_view byte_order_mark = "\xEF\xBB\xBF";
  if (text.starts_with(byte_order_mark)) text.remove_prefix(byte_order_mark.size());
  std::string out;
  out.reserve(text.size());
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] == '\r' && (i + 1 == text.size() || text[i + 1] == '\n')) continue;
    out += text[i];
  }
  while (out.ends_with('\n')) out.pop_back();
  return out;
}

// Whether nothing but line ends differs.
bool same_lines(std::string_view expected, std::string_view found) {
  return with_plain_line_ends(expected) == with_plain_line_ends(found);
}

// The first line that differs.
std::string first_difference(std::string_view expected, std::string_view found) {
  constexpr std::size_t most = 70;
  const auto [a, b] = std::mismatch(expected.begin(), expected.end(), found.begin(), found.end());
  const auto at = static_cast<std::size_t>(a - expected.begin());
  const std::size_t line = 1 + static_cast<std::size_t>(std::count(expected.begin(), a, '\n'));
  const std::size_t begin = at == 0 ? 0 : expected.rfind('\n', at - 1) + 1;
  // of a long line the part around the difference
  constexpr std::size_t before = 24;
  const std::size_t from = at - begin > before ? at - before : begin;
  const auto part = [&](std::string_view text) {
    if (begin >= text.size()) return std::string("nothing");
    const std::string shown_part =
        model::shortened(model::shown(line_at(text, std::min(from, text.size()))), most);
    return fmt::format("'{}{}'", from > begin ? "..." : "", shown_part);
  };
  const std::string wanted = part(expected);
  const std::string got = part(found);
  if (wanted == got) return fmt::format("line {}, byte {}", line, at - begin + 1);
  return fmt::format("line {}: expected {}, found {}", line, wanted, got);
}

// A workbook whose bytes differ.
ComparedFile compared_cells(ComparedFile out, const std::string& expected,
                            const std::string& found) {
  const auto ours = files::read_workbook(expected);
  const auto theirs = files::read_workbook(found);
  if (!ours || !theirs) {
    out.detail = (ours ? theirs : ours).error().message;
  } else if (const auto other = first_other_cell(*ours, *theirs)) {
    out.detail = *other;
  } else {
    out.state = FileState::saved_again;
    out.detail = "every cell is the same";
  }
  return out;
}

ComparedFile compare_file(const ExportedFile& expected, const std::optional<std::string>& found) {
  ComparedFile out{expected.name, FileState::same, {}, {}};
  if (!found) {
    out.state = FileState::missing;
    return out;
  }
  if (*found == expected.content) return out;
  const bool binary = expected.content.starts_with("PK");
  if (!binary && same_lines(expected.content, *found)) {
    out.state = FileState::line_ends;
    out.detail = "every line is the same";
    return out;
  }
  if (found->empty()) {
    out.state = FileState::changed;
    out.detail = "is empty";
    return out;
  }
  const std::string ours = fingerprint_in(expected.content);
  const std::string theirs = fingerprint_in(*found);
  if (expected.name.ends_with("exchange.json")) {
    // what stands there counts, not what it says of itself
    auto changes = exchange_changes(expected.content, *found);
    if (changes) {
      out.changes = std::move(*changes);
    } else {
      out.detail = changes.error();
    }
  }
  if (ours != theirs) {
    out.state = FileState::other_plan;
    if (out.detail.empty())
      out.detail = theirs.empty() ? "names no fingerprint" : "fingerprint " + theirs;
    return out;
  }
  out.state = FileState::changed;
  if (binary) return compared_cells(std::move(out), expected.content, *found);
  if (out.changes.empty() && out.detail.empty() && expected.content.starts_with(*found)) {
    const auto lines = std::count(found->begin(), found->end(), '\n');
    out.detail = fmt::format("ends behind line {} of {}", lines,
                             std::count(expected.content.begin(), expected.content.end(), '\n'));
  }
  if (out.changes.empty() && out.detail.empty()) {
    out.detail = first_difference(expected.content, *found);
  }
  return out;
}

}  // namespace

bool gives_the_same(FileState state) {
  return state == FileState::same || state == FileState::line_ends ||
         state == FileState::saved_again;
}

std::string_view to_string(FileState state) {
  switch (state) {
    case FileState::same: return "the same";
    case FileState::line_ends: return "other line ends";
    case FileState::saved_again: return "saved by another program";
    case FileState::missing: return "missing";
    case FileState::other_plan: return "of another exchange";
    case FileState::changed: return "changed";
    case FileState::left_over: return "left over";
  }
  return {};
}

std::vector<ComparedFile> compare_files(const std::vector<ExportedFile>& expected,
                                        const FileReader& read,
                                        const std::vector<std::string>& present) {
  std::vector<ComparedFile> out;
  out.reserve(expected.size());
  for (const ExportedFile& file : expected) out.push_back(compare_file(file, read(file.name)));
  for (const std::string& name : present) {
    const bool known = std::any_of(expected.begin(), expected.end(),
                                   [&](const ExportedFile& file) { return file.name == name; });
    if (!known) {
      out.push_back({name, FileState::left_over, "of no controller or slave of the plan", {}});
    }
  }
  return out;
}

tables::Table comparison_table(const std::vector<ComparedFile>& files) {
  using tables::Kind;
  tables::Table out{"files",
                    "there is nothing to compare",
                    {{"file", "file", Kind::text, "its name in the folder", 9},
                     {"state", "state", Kind::state, "how it stands to what the plan gives", 9},
                     {"detail", "detail", Kind::text, "where it differs first", 8}},
                    {}};
  for (const ComparedFile& file : files) {
    const bool same = gives_the_same(file.state);
    out.add({file.name,
             tables::State{std::string(to_string(file.state)),
                           same ? tables::Mood::plain : tables::Mood::bad},
             file.detail});
  }
  return out;
}

std::string comparison_json(const std::vector<ComparedFile>& files) {
  Json list = files::rows_json(comparison_table(files));
  bool same = true;
  for (std::size_t i = 0; i < files.size(); ++i) {
    same = same && gives_the_same(files[i].state);
    list[i]["changes"] = files::rows_json(changes_table(files[i].changes));
  }
  return files::dump({{"same", same}, {"files", std::move(list)}});
}

}  // namespace greymet::exports
