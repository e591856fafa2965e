#include "table_columns.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "address_cells.h"
#include "model/ascii_text.h"
#include "model/text_slips.h"
#include "value_cells.h"

namespace greymet::files::internal {

namespace {

constexpr std::size_t least_known = 2;       // headings that make a row the header
constexpr std::size_t most_rows_above = 60;  // titles above it
constexpr std::size_t most_looked_at = 500;  // rows, where contents tell what a column is

HeadingRows headings_of(const std::vector<std::string>& texts, const OwnHeadings& own) {
  HeadingRows out;
  out.texts = texts;
  std::vector<Column> known;
  for (const std::string& text : texts) {
    out.headings.push_back(heading_of(text, own));
    const Column column = out.headings.back().column;
    if (column != Column::none && std::find(known.begin(), known.end(), column) == known.end()) {
      known.push_back(column);
    }
  }
  out.known = known.size();
  return out;
}

// Of two rows of headings, the upper one over several columns.
std::vector<std::string> joined_headings(const std::vector<std::string>& above,
                                         const std::vector<std::string>& below) {
  std::vector<std::string> out(std::max(above.size(), below.size()));
  std::string over;
  for (std::size_t c = 0; c < out.size(); ++c) {
    const std::string a = c < above.size() ? std::string(model::trimmed(above[c])) : std::string();
    const std::string b = c < below.size() ? std::string(model::trimmed(below[c])) : std::string();
    if (!a.empty()) over = a;
    const std::string& upper = !a.empty() || !b.empty() ? over : a;
    if (b.empty()) {
      out[c] = a;
    } else {
      if (!upper.empty() && upper != b) out[c] = upper + " ";
      out[c] += b;
    }
  }
  return out;
}

bool has_address(const HeadingRows& rows) {
  return std::any_of(rows.headings.begin(), rows.headings.end(),
                     [](const Heading& h) { return h.column == Column::address; });
}

}  // namespace

std::optional<HeadingRows> heading_rows_of(const Grid& grid, const OwnHeadings& own) {
  std::optional<HeadingRows> best;
  const auto better = [&](const HeadingRows& rows) {
    if (rows.known < least_known) return false;
    if (!best) return true;
    if (has_address(rows) != has_address(*best)) return has_address(rows);
    return rows.known > best->known;
  };
  for (std::size_t r = 0; r < std::min(grid.rows.size(), most_rows_above); ++r) {
    // a row with a number for its address is no row of headings
    HeadingRows one = headings_of(grid.rows[r], own);
    one.first = r;
    if (better(one)) best = one;
    if (r + 1 >= grid.rows.size()) continue;
    const auto& below = grid.rows[r + 1];
    const bool of_words = std::none_of(below.begin(), below.end(), [](const std::string& cell) {
      return address_cell_from(cell).has_value();
    });
    if (!of_words) continue;
    HeadingRows two = headings_of(joined_headings(grid.rows[r], below), own);
    two.first = r;
    two.count = 2;
    // both rows say something that the other does not
    if (better(two) && two.known > one.known && two.known > headings_of(below, own).known)
      best = two;
  }
  return best;
}

ColumnsOfTable::ColumnsOfTable(const Grid& grid, const HeadingRows& heading)
    : grid_(grid), heading_(heading) {
  // to the letter ours first, then in the order of the table
  for (const bool exact : {true, false}) {
    for (std::size_t c = 0; c < heading_.headings.size(); ++c) {
      const Heading& h = heading_.headings[c];
      if (h.is_ours == exact && h.column != Column::none) take(c, h.column, !exact);
    }
  }
  std::sort(notes_.begin(), notes_.end(), [&](const std::string& a, const std::string& b) {
    const auto place = [&](const std::string& note) {
      for (std::size_t c = 0; c < heading_.texts.size(); ++c) {
        if (note.starts_with("'" + std::string(model::quoted_start(heading_.texts[c])) + "' "))
          return c;
      }
      return heading_.texts.size();
    };
    return place(a) < place(b);
  });
  look_inside();
  for (std::size_t c = 0; c < heading_.headings.size(); ++c) {
    // a second column of addresses is kept beside the first one
    const bool used =
        (!addresses_.empty() && addresses_[0] == c) ||
        std::any_of(at_.begin(), at_.end(), [&](const auto& each) { return each.second == c; });
    if (used || heading_.texts[c].empty()) continue;
    if (share(c, [](const std::string&) { return true; }) > 0) extra_.push_back(c);
  }
}

void ColumnsOfTable::take(std::size_t column, Column as, bool say) {
  const std::string& text = heading_.texts[column];
  if (as == Column::address) {
    addresses_.push_back(column);
  } else if (!at_.emplace(as, column).second) {
    return;
  }
  if (say) {
    notes_.push_back(fmt::format("'{}' is taken for {}", model::quoted_start(text), to_string(as)));
  }
}

template <class Is>
double ColumnsOfTable::share(std::size_t column, const Is& is) const {
  std::size_t filled = 0;
  std::size_t such = 0;
  for (std::size_t r = first_row(); r < std::min(grid_.rows.size(), first_row() + most_looked_at);
       ++r) {
    const std::string text = cell(r, column);
    if (text.empty()) continue;
    ++filled;
    if (is(text)) ++such;
  }
  return filled == 0 ? 0 : static_cast<double>(such) / static_cast<double>(filled);
}

void ColumnsOfTable::move(Column from, Column to, std::string_view why) {
  const std::size_t column = at_.at(from);
  at_.erase(from);
  std::erase_if(notes_, [&](const std::string& note) {
    return note == fmt::format("'{}' is taken for {}", model::quoted_start(heading_.texts[column]),
                               to_string(from));
  });
  if (to == Column::none) return;
  notes_.push_back(fmt::format("'{}' is taken for {}: {}",
                               model::quoted_start(heading_.texts[column]), to_string(to), why));
  if (to == Column::address) {
    addresses_.push_back(column);
  } else {
    at_[to] = column;
  }
}

// What a heading alone does not tell.
void ColumnsOfTable::look_inside() {
  constexpr double most = 0.6;
  const auto is_area = [](const std::string& text) {
    return area_cell_from(text, false).has_value();
  };
  const auto is_type = [](const std::string& text) { return type_cell_from(text).has_value(); };
  if (has(Column::type) && share(at_[Column::type], is_area) > most &&
      share(at_[Column::type], is_type) < most) {
    move(Column::type, has(Column::area) ? Column::none : Column::area, "its cells name areas");
    // another one may be the type
    for (std::size_t c = 0; c < heading_.headings.size(); ++c) {
      if (heading_.headings[c].column == Column::type && share(c, is_type) > most)
        take(c, Column::type, true);
    }
  }
  if (has(Column::area) && share(at_[Column::area], is_area) < 1 - most &&
      share(at_[Column::area], is_type) > most) {
    move(Column::area, has(Column::type) ? Column::none : Column::type, "its cells are types");
  }
  for (const Column column : {Column::function, Column::read_function, Column::write_function}) {
    const auto is_function = [](const std::string& text) { return !functions_from(text).empty(); };
    if (has(column) && share(at_[column], is_function) < most &&
        share(at_[column], [](const auto&) { return true; }) > 0) {
      const bool names_areas = share(at_[column], is_area) > most && !has(Column::area);
      const Column as = names_areas          ? Column::area
                        : has(Column::point) ? Column::none
                                             : Column::point;
      move(column, as,
           names_areas ? "its cells name areas" : "its cells are no codes of functions");
    }
  }
  if (has(Column::length)) {
    const auto is_length = [](const std::string& text) {
      return length_from(text, Counted::unsaid).has_value();
    };
    if (share(at_[Column::length], is_length) < most) {
      move(Column::length, has(Column::point) ? Column::none : Column::point,
           "its cells are no lengths");
    }
  }
  if (has(Column::access)) {
    const auto is_access = [](const std::string& text) {
      return access_cell_from(text).has_value();
    };
    if (share(at_[Column::access], is_access) < 1 - most) move(Column::access, Column::none, "");
  }
  if (has(Column::offset) && addresses_.empty() && share(at_[Column::offset], [](const auto& text) {
                                                     return address_cell_from(text).has_value();
                                                   }) > most) {
    move(Column::offset, Column::address, "there is no other column of addresses");
  }
  // "Register" of names, beside "Address" of numbers
  const auto is_address = [](const std::string& text) {
    return address_cell_from(text).has_value();
  };
  std::erase_if(addresses_, [&](std::size_t c) {
    if (addresses_.size() == 1 || share(c, is_address) >= most) return false;
    std::erase_if(notes_, [&](const std::string& note) {
      return note ==
             fmt::format("'{}' is taken for address", model::quoted_start(heading_.texts[c]));
    });
    if (!has(Column::point)) {
      at_[Column::point] = c;
      notes_.push_back(fmt::format("'{}' is taken for point: its cells are names",
                                   model::quoted_start(heading_.texts[c])));
    }
    return true;
  });
  if (addresses_.size() == 1 && !has(Column::point) &&
      share(addresses_[0], is_address) < 1 - most) {
    // its one column of "addresses" holds names
    at_[Column::point] = addresses_[0];
    addresses_.clear();
  }
  // "16 bit" over "unsigned"
  for (std::size_t c = 0; c < heading_.headings.size() && !has(Column::type); ++c) {
    const Column as = heading_.headings[c].column;
    const bool other = as == Column::none || as == Column::bit || as == Column::length;
    if (!other || share(c, is_type) <= most) continue;
    if (as != Column::none && has(as)) at_.erase(as);
    at_[Column::type] = c;
    notes_.push_back(fmt::format("'{}' is taken for type: its cells are types",
                                 model::quoted_start(heading_.texts[c])));
  }
  if (has(Column::names)) {
    const auto is_names = [](const std::string& text) {
      return model::value_names_from(text).has_value() || range_cell_from(text).has_value();
    };
    if (share(at_[Column::names], is_names) < 1 - most) {
      move(Column::names,
           !has(Column::point)  ? Column::point
           : !has(Column::note) ? Column::note
                                : Column::none,
           "its cells are no numbers with names");
    }
  }
  choose_names();
}

// Of several columns that may name points the one with words in it: "P0-01" is a name, "Bus
// voltage" a better one. Where no heading says so, the first column whose texts are all different.
void ColumnsOfTable::choose_names() {
  constexpr double most = 0.9;
  const auto has_word = [](const std::string& text) {
    int letters = 0;
    for (const char c : text) {
      letters = model::is_letter(c) || static_cast<unsigned char>(c) >= 0x80 ? letters + 1 : 0;
      if (letters == 3) return true;
    }
    return false;
  };
  if (has(Column::point)) {
    const std::size_t now = at_[Column::point];
    if (heading_.headings[now].is_ours || share(now, has_word) > 0.5) return;
    for (std::size_t c = 0; c < heading_.headings.size(); ++c) {
      if (c == now || heading_.headings[c].column != Column::point || share(c, has_word) < most) {
        continue;
      }
      move(Column::point, Column::none, "");
      at_[Column::point] = c;
      notes_.push_back(fmt::format("'{}' is taken for point: its cells are words",
                                   model::quoted_start(heading_.texts[c])));
      return;
    }
    return;
  }
  for (std::size_t c = 0; c < heading_.headings.size(); ++c) {
    if (heading_.headings[c].column != Column::none || heading_.texts[c].empty()) continue;
    std::set<std::string> texts;
    std::size_t rows = 0;
    std::size_t filled = 0;
    for (std::size_t r = first_row(); r < std::min(grid_.rows.size(), first_row() + most_looked_at);
         ++r) {
      if (addresses_.empty() || cell(r, addresses_[0]).empty()) continue;
      ++rows;
      const std::string text = cell(r, c);
      if (text.empty() || model::all_digits(text)) continue;
      ++filled;
      texts.insert(text);
    }
    if (rows == 0 || texts.size() < filled ||
        static_cast<double>(filled) < most * static_cast<double>(rows))
      continue;
    at_[Column::point] = c;
    notes_.push_back(fmt::format("'{}' is taken for point: its cells are all different",
                                 model::quoted_start(heading_.texts[c])));
    return;
  }
  if (has(Column::note)) move(Column::note, Column::point, "no other column names points");
}

const Heading& ColumnsOfTable::heading_of(Column column) const {
  static const Heading none;
  if (column == Column::address)
    return addresses_.empty() ? none : heading_.headings[addresses_[0]];
  const auto at = at_.find(column);
  return at == at_.end() ? none : heading_.headings[at->second];
}

std::string ColumnsOfTable::text_of(Column column) const {
  const auto at = at_.find(column);
  return at == at_.end() ? std::string() : heading_.texts[at->second];
}

std::string ColumnsOfTable::cell(std::size_t row, std::size_t column) const {
  if (column >= grid_.rows[row].size()) return {};
  return std::string(model::trimmed(grid_.rows[row][column]));
}

std::string ColumnsOfTable::cell(std::size_t row, Column column) const {
  if (column == Column::address)
    return addresses_.empty() ? std::string() : cell(row, addresses_[0]);
  const auto at = at_.find(column);
  return at == at_.end() ? std::string() : cell(row, at->second);
}

}  // namespace greymet::files::internal
