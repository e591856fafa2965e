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
#include <variant>

#include <fmt/format.h>
#include <unistd.h>
#include <xlsxwriter.h>

#include "exports/exports.h"
#include "model/duration_text.h"
#include "model/memory_report.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"

namespace greymet::exports {

using model::Duration;

namespace {

// Nothing, a text, a whole number, a number.
using Cell = std::variant<std::monostate, std::string, std::int64_t, double>;
constexpr std::size_t longest_cell = 8000;  // code points; the format ends at 32767 UTF-16 units
constexpr double widest = 48;               // characters

Cell whole(std::uint64_t value) {
  return static_cast<std::int64_t>(value);
}
Cell ms_cell(const std::optional<Duration>& d) {
  return d ? Cell(model::to_ms(*d)) : Cell();
}

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
  }

  // Rows below a frozen heading that can be filtered; columns as wide as what stands in them.
  void sheet(const char* name, const std::vector<std::string>& heading,
             const std::vector<std::vector<Cell>>& rows) {
    lxw_worksheet* sheet = workbook_add_worksheet(book_, name);
    std::vector<double> widths;
    widths.reserve(heading.size());
    for (const std::string& text : heading) widths.push_back(static_cast<double>(text.size()));
    for (std::size_t c = 0; c < heading.size(); ++c) put(sheet, 0, c, heading[c], widths[c], head_);
    for (std::size_t r = 0; r < rows.size(); ++r) {
      for (std::size_t c = 0; c < rows[r].size(); ++c) put(sheet, r + 1, c, rows[r][c], widths[c]);
    }
    for (std::size_t c = 0; c < widths.size(); ++c) {
      const auto column = static_cast<lxw_col_t>(c);
      worksheet_set_column(sheet, column, column, std::min(widest, widths[c] + 2), nullptr);
    }
    worksheet_freeze_panes(sheet, 1, 1);
    worksheet_autofilter(sheet, 0, 0, static_cast<lxw_row_t>(rows.size()),
                         static_cast<lxw_col_t>(heading.size() - 1));
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
  void put(lxw_worksheet* sheet, std::size_t r, std::size_t c, const Cell& cell, double& width,
           lxw_format* format = nullptr) {
    const auto row = static_cast<lxw_row_t>(r);
    const auto column = static_cast<lxw_col_t>(c);
    if (const auto* text = std::get_if<std::string>(&cell); text != nullptr && !text->empty()) {
      const std::string shown = model::shortened(model::shown(*text), longest_cell);
      worksheet_write_string(sheet, row, column, shown.c_str(), format);
      width = std::max(width, static_cast<double>(model::code_points(shown)));
    } else if (const auto* number = std::get_if<std::int64_t>(&cell)) {
      worksheet_write_number(sheet, row, column, static_cast<double>(*number), format);
    } else if (const auto* real = std::get_if<double>(&cell)) {
      worksheet_write_number(sheet, row, column, *real, three_);
    }
  }

  lxw_workbook* book_;  // closed, and freed by that, in close()
  lxw_format* head_ = nullptr;
  lxw_format* three_ = nullptr;
};

std::string memory_text(const model::ResolvedPlan& plan, model::ControllerIndex c,
                        const std::optional<model::MemoryRange>& range) {
  return range ? plan.layouts[c].name_of(*range) : std::string();
}

void add_transactions(const ExportInput& input, Book& book) {
  const model::ResolvedPlan& plan = input.plan;
  std::vector<std::vector<Cell>> rows;
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    const bool cyclic = t.trigger.kind == model::TriggerKind::cyclic;
    std::vector<Cell> row{whole(rows.size() + 1),
                          t.name,
                          plan.exchange.controllers[t.controller].name,
                          plan.target_name(t.target),
                          t.endpoint.unit ? whole(t.endpoint.unit->value) : Cell(),
                          t.endpoint.line ? plan.exchange.lines[*t.endpoint.line].name
                                          : fmt::format("{}:{}", t.endpoint.host, t.endpoint.port),
                          whole(static_cast<std::uint64_t>(number_of(t.function)))};
    for (const bool reads : {true, false}) {
      const auto& block = reads ? t.read : t.write;
      if (!block) {
        row.insert(row.end(), 4, Cell());
        continue;
      }
      const model::Address address{block->area, {static_cast<std::uint16_t>(block->offset)}};
      row.emplace_back(whole(block->offset));
      row.emplace_back(whole(block->quantity));
      row.emplace_back(reference6(address));
      row.emplace_back(memory_text(plan, t.controller, reads ? t.into : t.from));
    }
    row.emplace_back(std::string(to_string(t.trigger.kind)));
    row.push_back(cyclic ? ms_cell(t.trigger.period) : Cell());
    row.push_back(cyclic ? ms_cell(t.trigger.phase) : Cell());
    row.emplace_back(memory_text(plan, t.controller, t.trigger.bit));
    row.emplace_back(memory_text(plan, t.controller, t.gate));
    row.emplace_back(std::string(t.on_loss ? to_string(*t.on_loss) : ""));
    rows.push_back(std::move(row));
  }
  book.sheet("transactions",
             {"order",        "name",      "controller",  "slave",           "unit",
              "line or host", "function",  "read at",     "read count",      "read reference",
              "into",         "write at",  "write count", "write reference", "from",
              "when",         "period ms", "phase ms",    "trigger",         "only if",
              "on loss"},
             rows);
}

void add_points(const ExportInput& input, Book& book) {
  const model::ResolvedPlan& plan = input.plan;
  std::vector<std::vector<Cell>> rows;
  for (std::size_t i = 0; i < input.points.rows.size(); ++i) {
    const model::PointRow& p = input.points.rows[i];
    const bool is_long = is_multi_register(p.type.type);
    std::string users;
    for (const std::string& user : p.used_by) users += (users.empty() ? "" : "; ") + user;
    const std::string by = p.transaction ? plan.declared(plan.transactions[*p.transaction]).name
                           : p.copy      ? fmt::format("copy {}", plan.copies[*p.copy].declared + 1)
                                         : "";
    const model::Tag* tag = p.tag ? &plan.declared(plan.tags[*p.tag]) : nullptr;
    rows.push_back(
        {p.where, std::string(p.is_read ? "from" : "to"), plan.plan.controllers[p.controller].name,
         plan.layouts[p.controller].name_of(p.memory), tag != nullptr ? tag->name : std::string(),
         tag != nullptr ? to_text(tag->type) : std::string(), by,
         std::string(p.area ? short_name(*p.area) : ""), p.offset ? whole(*p.offset) : Cell(),
         p.area ? to_text(p.type.type) : to_text(p.type),
         std::string(is_long && p.order ? to_string(*p.order) : ""),
         std::string(p.swap ? to_string(*p.swap) : ""),
         p.factor ? Cell(fmt::format("{}", *p.factor)) : Cell(),
         p.offset_value ? Cell(fmt::format("{}", *p.offset_value)) : Cell(), p.unit,
         ms_cell(input.ages[i]), users});
  }
  book.sheet("points",
             {"point", "direction", "controller", "memory", "tag", "tag type", "by", "area",
              "offset", "type", "word order", "swap", "factor", "offset value", "unit",
              "age bound ms", "also used by"},
             rows);
}

void add_memory(const ExportInput& input, Book& book) {
  const model::MemoryReport report = memory_report(input.plan);
  std::vector<std::vector<Cell>> rows;
  for (const model::ControllerMemory& c : report.controllers) {
    const std::string& name = input.plan.plan.controllers[c.controller].name;
    for (const model::StoreReport& store : c.stores) {
      for (const model::MemoryRow& row : store.rows) {
        std::string tags;
        for (const std::string& tag : row.tags) tags += (tags.empty() ? "" : "; ") + tag;
        rows.push_back({name, store.name, row.range, row.count, std::string(to_string(row.purpose)),
                        row.by, tags});
      }
      for (const model::BitRange& free : store.free) {
        const std::uint64_t unit = store.words ? model::bits_per_word : 1;
        rows.push_back({name, store.name, input.plan.layouts[c.controller].name_of(free),
                        whole((free.end - free.first) / unit), std::string("free"), std::string(),
                        std::string()});
      }
    }
  }
  book.sheet("memory", {"controller", "area", "range", "count", "purpose", "by", "tags"}, rows);
}

void add_timing(const ExportInput& input, Book& book) {
  std::vector<std::vector<Cell>> rows;
  for (const timing::LineReport& line : input.timing.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      rows.push_back({line.name, line.master, line.utilisation_percent, t.name,
                      static_cast<std::int64_t>(t.function), whole(t.request_bytes),
                      whole(t.reply_bytes), ms_cell(t.typical), ms_cell(t.longest),
                      ms_cell(t.period), ms_cell(t.response_bound),
                      ms_cell(t.response_bound_any_phase), ms_cell(t.response_simulated),
                      ms_cell(t.interval_bound), whole(t.missed), ms_cell(t.silent)});
    }
  }
  book.sheet("timing",
             {"line", "master", "use %", "transaction", "function", "request bytes", "reply bytes",
              "typical ms", "longest ms", "period ms", "response bound ms", "bound, any phase ms",
              "simulated ms", "interval bound ms", "missed", "silent ms"},
             rows);
}

void add_findings(const ExportInput& input, Book& book) {
  std::vector<std::vector<Cell>> rows;
  for (const model::Finding& f : input.findings) {
    rows.push_back({std::string(to_string(f.severity)), std::string(to_string(f.rule)),
                    input.plan.plan.files[f.place.file], whole(f.place.line), to_text(f.subject),
                    f.message, f.remedy});
  }
  book.sheet("findings", {"severity", "rule", "file", "line", "subject", "message", "remedy"},
             rows);
}

void add_about(const ExportInput& input, Book& book) {
  const auto& plan = input.plan.plan;
  book.sheet("about", {"what", "value"},
             {{std::string("title"), plan.title ? plan.title->value : std::string()},
              {std::string("revision"), plan.revision ? plan.revision->value : std::string()},
              {std::string("fingerprint"), input.fingerprint}});
}

}  // namespace

ExportedFiles export_workbook(const ExportInput& input) {
  const TemporaryFile file;
  const std::string trouble = "exchange.xlsx: the temporary folder cannot be written";
  if (!file.made()) return tl::unexpected(trouble);
  Book book(file.path());
  add_transactions(input, book);
  add_points(input, book);
  add_memory(input, book);
  add_timing(input, book);
  add_findings(input, book);
  add_about(input, book);
  const auto& title = input.plan.plan.title;
  if (!book.close(title ? title->value : std::string(), input.fingerprint)) {
    return tl::unexpected(trouble);
  }
  std::ifstream in(file.path(), std::ios::binary);
  std::vector<ExportedFile> out;
  out.push_back({"exchange.xlsx", {std::istreambuf_iterator<char>(in), {}}});
  return out;
}

}  // namespace greymet::exports
