// exchange.xlsx, through libxlsxwriter. Names are written as texts, never as formulas.
#include <algorithm>
#include <array>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>
#include <iterator>
#include <memory>

#include <unistd.h>
#include <xlsxwriter.h>

#include "exports/exports.h"
#include "exports/table_pages.h"
#include "model/duration_text.h"
#include "model/memory_report.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"
#include "tables/plan_tables.h"
#include "tables/timing_tables.h"

namespace greymet::exports {

namespace {

constexpr std::size_t longest_cell = 8000;  // code points; the format ends at 32767 UTF-16 units
constexpr double widest = 48;               // characters

// A name in the temporary folder that exists while this does.
class TemporaryFile {
 public:
  TemporaryFile() {
    std::error_code error;
    path_ = (std::filesystem::temp_directory_path(error) / "greymet-XXXXXX").string();
    const int fd = error ? -1 : ::mkstemp(path_.data());
    if (fd >= 0) ::close(fd);
    made_ = fd >= 0;
  }
  TemporaryFile(const TemporaryFile&) = delete;
  TemporaryFile& operator=(const TemporaryFile&) = delete;
  ~TemporaryFile() {
    if (made_) std::remove(path_.c_str());
  }
  [[nodiscard]] bool made() const { return made_; }
  [[nodiscard]] const std::string& path() const { return path_; }

 private:
  std::string path_;
  bool made_ = false;
};

class Book {
 public:
  explicit Book(const std::string& path) : book_(workbook_new(path.c_str())) {
    head_ = workbook_add_format(book_);
    format_set_bold(head_);
    format_set_bg_color(head_, 0xE6EAEC);
    format_set_bottom(head_, LXW_BORDER_THIN);
    three_ = workbook_add_format(book_);
    format_set_num_format(three_, "0.000");
    general_ = workbook_add_format(book_);
  }

  // Rows below a frozen heading that can be filtered; columns as wide as what stands in them.
  void sheet(const tables::Table& table) {
    lxw_worksheet* sheet = workbook_add_worksheet(book_, std::string(table.name).c_str());
    std::vector<double> widths(table.columns.size(), 0);
    for (std::size_t c = 0; c < table.columns.size(); ++c) {
      put(sheet, 0, c, tables::heading_of(table.columns[c]), widths[c], head_);
    }
    for (std::size_t r = 0; r < table.rows.size(); ++r) {
      for (std::size_t c = 0; c < table.columns.size(); ++c) {
        put(sheet, r + 1, c, table.rows[r].cells[c], widths[c]);
      }
    }
    for (std::size_t c = 0; c < widths.size(); ++c) {
      const auto column = static_cast<lxw_col_t>(c);
      worksheet_set_column(sheet, column, column, std::min(widest, widths[c] + 2), nullptr);
    }
    worksheet_freeze_panes(sheet, 1, 1);
    worksheet_autofilter(sheet, 0, 0, static_cast<lxw_row_t>(table.rows.size()),
                         static_cast<lxw_col_t>(widths.size() - 1));
    worksheet_set_landscape(sheet);
    worksheet_set_paper(sheet, 9);  // A4
    worksheet_fit_to_pages(sheet, 1, 0);
    worksheet_repeat_rows(sheet, 0, 0);
  }

  // The same plan gives the same bytes: no time of making.
  bool close(const std::string& title, const std::string& fingerprint) {
    std::string shown_title = model::shortened(model::shown(title), 200);
    std::string comments = fingerprint;
    lxw_doc_properties properties{};
    properties.title = shown_title.data();
    properties.comments = comments.data();
    properties.created = 946684800;  // 2000-01-01
    workbook_set_properties(book_, &properties);
    return workbook_close(book_) == LXW_NO_ERROR;
  }

 private:
  void put(lxw_worksheet* sheet, std::size_t r, std::size_t c, const tables::Cell& cell,
           double& width, lxw_format* format = nullptr) {
    const auto row = static_cast<lxw_row_t>(r);
    const auto column = static_cast<lxw_col_t>(c);
    if (const auto* number = std::get_if<std::int64_t>(&cell)) {
      worksheet_write_number(sheet, row, column, static_cast<double>(*number), format);
    } else if (const auto* real = std::get_if<double>(&cell)) {
      worksheet_write_number(sheet, row, column, *real, general_);
    } else if (const auto* duration = std::get_if<model::Duration>(&cell)) {
      worksheet_write_number(sheet, row, column, model::to_ms(*duration), three_);
    } else if (const std::string text = tables::plain_text(cell); !text.empty()) {
      const std::string shown = model::shortened(model::shown(text), longest_cell);
      worksheet_write_string(sheet, row, column, shown.c_str(), format);
      width = std::max(width, static_cast<double>(model::code_points(shown)));
    }
  }

  lxw_workbook* book_;  // closed, and freed by that, in close()
  lxw_format* head_ = nullptr;
  lxw_format* three_ = nullptr;
  lxw_format* general_ = nullptr;
};

tables::Table about_table(const ExportInput& input) {
  using tables::Kind;
  tables::Table out{"about",
                    "",
                    {{"what", "what", Kind::text, "of this plan", 9},
                     {"value", "value", Kind::text, "what it is", 9}},
                    {}};
  const auto& plan = input.plan.plan;
  const auto stated = [](const auto& value) {
    return value ? tables::text(value->value) : tables::Cell();
  };
  out.add({tables::text("title"), stated(plan.title)});
  out.add({tables::text("revision"), stated(plan.revision)});
  out.add({tables::text("fingerprint"), tables::text(input.fingerprint)});
  return out;
}

}  // namespace

tl::expected<std::string, std::string> tables_workbook(const std::vector<tables::Table>& tables,
                                                       const std::string& title,
                                                       const std::string& comments) {
  const TemporaryFile file;
  const std::string trouble = "exchange.xlsx: the temporary folder cannot be written";
  if (!file.made()) return tl::unexpected(trouble);
  Book book(file.path());
  for (const tables::Table& table : tables) book.sheet(table);
  if (!book.close(title, comments)) return tl::unexpected(trouble);
  std::ifstream in(file.path(), std::ios::binary);
  return std::string(std::istreambuf_iterator<char>(in), {});
}

ExportedFiles export_workbook(const ExportInput& input) {
  const model::MemoryReport memory = memory_report(input.plan);
  const auto& title = input.plan.plan.title;
  auto book = tables_workbook(
      {tables::transactions_table(input.plan),
       tables::points_table(input.plan, input.points, input.ages), tables::slaves_table(input.plan),
       tables::masters_table(input.plan), tables::memory_table(input.plan, memory),
       tables::registers_table(input.plan, memory), tables::lines_table(input.timing),
       tables::timing_table(input.timing), tables::heartbeats_table(input.timing),
       tables::paths_table(input.timing),
       tables::findings_table(input.plan.plan.files, input.findings),
       tables::not_judged_table(input.plan), tables::assumed_table(input.plan), about_table(input)},
      title ? title->value : std::string(), input.fingerprint);
  if (!book) return tl::unexpected(book.error());
  return std::vector<ExportedFile>{{"exchange.xlsx", std::move(*book)}};
}

}  // namespace greymet::exports
