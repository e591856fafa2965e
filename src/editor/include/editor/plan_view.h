// A reading with what is needed to find one's way in it: lines, tables, rows, things. For one
// thread; made on demand.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "editor/plan_text.h"
#include "editor/reading.h"
#include "editor/text_position.h"
#include "files/csv_reader.h"
#include "files/source_text.h"
#include "model/resolved_plan.h"

namespace greymet::editor {

// A cell of a table of the plan, with the heading of its column.
struct CellText {
  std::size_t row = 0;  // from 0, without the headings
  std::size_t column = 0;
  std::string heading;
  std::string text;
  files::Span span;
  bool is_heading = false;
};

// What a CSV file is for.
enum class TableKind : std::uint8_t { none, map, tags, transactions };

class PlanView {
 public:
  explicit PlanView(std::shared_ptr<const Reading> reading);

  [[nodiscard]] const Reading& reading() const { return *reading_; }
  [[nodiscard]] const model::ResolvedPlan& plan() const { return reading_->loaded().plan; }
  [[nodiscard]] std::size_t files() const { return reading_->loaded().sources.size(); }
  [[nodiscard]] const std::string& path_of(std::uint32_t file) const;
  // The file of the plan at that path, however it is written.
  [[nodiscard]] std::optional<std::uint32_t> file_of(const std::string& path) const;

  [[nodiscard]] const files::SourceText& lines(std::uint32_t file) const;
  // Of the plan itself.
  [[nodiscard]] const PlanText& plan_text() const;
  [[nodiscard]] TableKind table_kind(std::uint32_t file) const;
  // The table in a CSV file; null where it is none.
  [[nodiscard]] const files::CsvTable* table(std::uint32_t file) const;
  [[nodiscard]] std::optional<CellText> cell_at(std::uint32_t file, std::size_t byte) const;
  // The cell of a row below that heading; nothing where the row is shorter.
  [[nodiscard]] std::optional<CellText> cell_of(std::uint32_t file, std::size_t row,
                                                std::string_view heading) const;
  [[nodiscard]] files::Span span_of_cell(std::uint32_t file, const files::Cell& cell) const;
  [[nodiscard]] files::Span span(const model::Range& range) const;

  // Transactions, into ResolvedPlan::transactions, that are written in this stretch of a file: of a
  // row for slaves that are alike all of them.
  [[nodiscard]] std::vector<std::size_t> transactions_in(std::uint32_t file,
                                                         const files::Span& span) const;
  // The slave that a row asks; of several that are alike the first.
  [[nodiscard]] std::optional<std::size_t> slave_named(std::string_view name) const;
  [[nodiscard]] std::optional<std::size_t> controller_named(std::string_view name) const;
  // Slaves that use the map in that file.
  [[nodiscard]] std::vector<std::size_t> slaves_of_map(std::uint32_t file) const;
  // The map that was read of that file, or null.
  [[nodiscard]] const model::RegisterMap* map_in(std::uint32_t file) const;
  // Controllers whose tags stand in that file.
  [[nodiscard]] std::vector<std::size_t> controllers_of_tags(std::uint32_t file) const;

  // The controller of whose memory a value at this key of a table speaks.
  [[nodiscard]] std::optional<std::size_t> memory_owner(const TableText& table,
                                                        std::string_view key) const;
  // The slave of whose points a value of this table speaks; the row around `read` and the like.
  [[nodiscard]] std::optional<std::size_t> point_owner(const TableText& table) const;
  // The row that a table within one belongs to: of `read` the transaction.
  [[nodiscard]] const TableText& row_of(const TableText& table) const;

 private:
  std::shared_ptr<const Reading> reading_;
  std::map<std::string, std::uint32_t> files_;
  mutable std::vector<std::unique_ptr<files::SourceText>> lines_;
  mutable std::unique_ptr<PlanText> plan_text_;
  mutable std::map<std::uint32_t, std::optional<files::CsvTable>> tables_;
};

}  // namespace greymet::editor
