#include "draft_rows.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

namespace {

// "Holding registers", "Input Registers (FC 04)", "4x": the area that a title names.
std::optional<model::Area> area_of_title(const std::string& text) {
  using model::Area;
  const std::string small = model::in_small_letters(text);
  const auto holds = [&](std::string_view what) { return small.find(what) != std::string::npos; };
  std::vector<Area> found;
  if (holds("holding") || holds("halteregister")) found.push_back(Area::holding_register);
  if (holds("input reg") || holds("eingangsregister")) found.push_back(Area::input_register);
  if (holds("coil") || holds("spule")) found.push_back(Area::coil);
  if (holds("discrete") || holds("input status") || holds("diskrete eing"))
    found.push_back(Area::discrete_input);
  // "Modbus RTU, function code 3"
  for (const std::string_view word : {"function code", "funktionscode", "fc"}) {
    const std::size_t at = small.find(word);
    const bool whole = at != std::string::npos && (at == 0 || !model::is_letter(small[at - 1]));
    if (!whole || !found.empty()) continue;
    const std::size_t digits = small.find_first_not_of(" s:=0", at + word.size());
    if (digits == std::string::npos || !model::is_digit(small[digits])) continue;
    const std::size_t end = std::min(small.find_first_not_of("0123456789", digits), small.size());
    const auto by = area_by_functions(functions_from(small.substr(digits, end - digits)));
    if (by.area) found.push_back(*by.area);
  }
  return found.size() == 1 ? std::optional(found[0]) : std::nullopt;
}

class Drafter {
 public:
  Drafter(const Grid& grid, const ColumnsOfTable& columns) : grid_(grid), columns_(columns) {}

  DraftTable draft() {
    // titles above the headings: the last that names an area
    for (std::size_t r = 0; r < columns_.first_row(); ++r) {
      if (filled(r) != 1) continue;
      for (const std::string& cell : grid_.rows[r]) {
        if (const auto area = area_of_title(cell)) section_ = area;
      }
    }
    for (std::size_t r = columns_.first_row(); r < grid_.rows.size(); ++r) {
      if (filled(r) > 0) read(r);
    }
    return std::move(out_);
  }

 private:
  [[nodiscard]] std::size_t filled(std::size_t r) const {
    return static_cast<std::size_t>(
        std::count_if(grid_.rows[r].begin(), grid_.rows[r].end(),
                      [](const std::string& cell) { return !model::trimmed(cell).empty(); }));
  }

  // The headings again, as at the top of a page.
  [[nodiscard]] bool repeats_headings(std::size_t r) const {
    std::size_t same = 0;
    for (std::size_t c = 0; c < std::min(grid_.rows[r].size(), columns_.texts().size()); ++c) {
      if (!columns_.texts()[c].empty() &&
          columns_.cell(r, c) == model::trimmed(columns_.texts()[c]))
        ++same;
    }
    return same >= 2 && 2 * same >= filled(r);
  }

  void read(std::size_t r) {
    const std::string line = std::to_string(grid_.lines[r]);
    if (repeats_headings(r)) {
      out_.repeated.push_back(line);
      return;
    }
    DraftRow row;
    row.row = r;
    row.line = grid_.lines[r];
    row.name = columns_.cell(r, Column::point);
    row.note = columns_.cell(r, Column::note);
    row.type_text = columns_.cell(r, Column::type);
    std::string address = columns_.cell(r, Column::address);
    if (!row.type_text.empty()) row.type = type_cell_from(row.type_text);
    if (address.empty() && row.type) address = row.type->address;
    const std::string bit = columns_.cell(r, Column::bit);
    if (!bit.empty()) read_bit(bit, row);
    if (row.type && row.type->bit) row.bit = row.type->bit;
    if (address.empty()) return without_address(row, line);
    row.address = address_cell_from(address);
    if (columns_.addresses().size() > 1) {
      row.other_address = address_cell_from(columns_.cell(r, columns_.addresses()[1]));
    }
    if (!row.address && !row.type && filled(r) <= 2) {
      // a title, whatever column it stands in
      title(address + (row.name.empty() ? "" : " " + row.name), line);
      return;
    }
    if (!row.address)
      row.trouble = fmt::format("address '{}' is not understood", model::quoted_start(address));
    if (row.address && row.address->bit) row.bit = row.address->bit;
    const std::string length = columns_.cell(r, Column::length);
    if (!length.empty()) {
      row.length = length_from(length, columns_.heading_of(Column::length).counted);
      if (!row.length && row.trouble.empty())
        row.trouble = fmt::format("length '{}' is not understood", model::quoted_start(length));
    }
    if (!row.type_text.empty() && !row.type && row.trouble.empty()) {
      row.trouble = fmt::format("type '{}' is not understood", model::quoted_start(row.type_text));
    }
    const std::size_t widest = columns_.texts().size();
    for (std::size_t c = widest; c < grid_.rows[r].size(); ++c) {
      if (!columns_.cell(r, c).empty() && row.trouble.empty()) {
        row.trouble = fmt::format(
            "it has {} cells, and there are {} headings: a cell may hold what separates cells",
            grid_.rows[r].size(), widest);
      }
    }
    row.section = section_;
    out_.rows.push_back(std::move(row));
  }

  static void read_bit(const std::string& text, DraftRow& row) {
    const std::string word = model::bare_word(text);
    const std::string digits = word.starts_with("bit") ? word.substr(3)
                               : word.starts_with("b") ? word.substr(1)
                                                       : word;
    if (model::all_digits(digits) && digits.size() <= 2 && std::stoul(digits) < 16) {
      row.bit = static_cast<std::uint32_t>(std::stoul(digits));
    } else if (text != "-") {
      row.trouble = fmt::format("bit '{}' is not understood", model::quoted_start(text));
    }
  }

  // A bit of the register above, a list of what its values mean, a title, or a footnote.
  void without_address(DraftRow& row, const std::string& line) {
    const bool below = !out_.rows.empty() && out_.rows.back().address;
    if (row.bit && below && !row.name.empty()) {
      row.address = out_.rows.back().address;
      row.address->last.reset();
      row.section = section_;
      row.type = TypeCell{
          model::DataType{model::TypeKind::boolean, 0}, TypeCell::Family::none, false, {}, {}};
      out_.rows.push_back(std::move(row));
      return;
    }
    std::string text;
    for (const std::string& cell : grid_.rows[row.row]) {
      if (!model::trimmed(cell).empty())
        text += (text.empty() ? "" : " ") + std::string(model::trimmed(cell));
    }
    if (below && model::value_names_from(text)) {
      std::string& names = out_.rows.back().names;
      names += (names.empty() ? "" : "; ") + text;
      return;
    }
    if (row.type || !columns_.cell(row.row, Column::length).empty()) {
      row.trouble = "it has no address";
      out_.rows.push_back(std::move(row));
      return;
    }
    title(text, line);
  }

  void title(const std::string& text, const std::string& line) {
    const auto area = area_of_title(text);
    const bool footnote =
        text.starts_with('*') || (text.size() > 2 && (text[1] == ')' || text[0] == '('));
    if (area && !footnote) section_ = area;
    (area || !footnote ? out_.titles : out_.unused).push_back(line);
  }

  const Grid& grid_;
  const ColumnsOfTable& columns_;
  DraftTable out_;
  std::optional<model::Area> section_;
};

}  // namespace

DraftTable draft_rows(const Grid& grid, const ColumnsOfTable& columns) {
  return Drafter(grid, columns).draft();
}

}  // namespace greymet::files::internal
