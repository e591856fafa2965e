#include "files/wire_tables.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "files/table_rows.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"
#include "model/text_slips.h"
#include "value_spots.h"

namespace greymet::files {

using engine::Fault;
using engine::FaultKind;
using internal::RowReader;
using internal::Spots;
using internal::Synonym;
using internal::TableColumns;
using model::Duration;
using model::Findings;

namespace {

constexpr std::array<std::string_view, 5> fault_columns{"at", "for", "slave", "fault", "with"};
constexpr std::array<std::string_view, 3> fault_needed{"at", "slave", "fault"};
constexpr std::array<Synonym, 4> fault_synonyms{
    {{"start", "at"}, {"duration", "for"}, {"device", "slave"}, {"kind", "fault"}}};
constexpr TableColumns columns_of_faults{
    fault_columns, fault_needed, fault_synonyms,
    "a table of faults has a header row with at, for, slave, fault and with",
    "at, slave and fault are needed in every row"};

constexpr std::array<std::string_view, 3> value_columns{"where", "value", "at"};
constexpr std::array<std::string_view, 2> value_needed{"where", "value"};
constexpr std::array<Synonym, 2> value_synonyms{{{"point", "where"}, {"tag", "where"}}};
constexpr TableColumns columns_of_values{value_columns, value_needed, value_synonyms,
                                         "a table of values has a header row with where and value",
                                         "where and value are needed in every row"};

constexpr std::array<std::string_view, 4> expected_columns{"where", "value", "tolerance", "within"};
constexpr std::array<std::string_view, 2> expected_needed{"where", "value"};
constexpr TableColumns columns_of_expected{
    expected_columns, expected_needed, value_synonyms,
    "a table of expected values has a header row with where, value, tolerance and within",
    "where and value are needed in every row"};

// Where one of the names was meant, the row says so.
std::optional<model::Meant> nearest(std::string_view text,
                                    std::span<const std::string_view> known) {
  const auto near = model::near_name(text, known);
  if (!near) return std::nullopt;
  return model::Meant{near->name, false};
}

// Reads all rows with `row`; what is wrong anywhere refuses the table.
template <class Row, class Read>
TableOf<Row> read_rows(const std::string& text, std::uint32_t file, const TableColumns& columns,
                       Read row_of) {
  Findings findings;
  RowReader in(columns, {}, findings);
  std::vector<Row> rows;
  const auto table = read_csv(text, file);
  if (!table) {
    in.report(table.error().place, table.error().message, table.error().remedy);
    return tl::unexpected(std::move(findings));
  }
  if (!in.begin(*table)) return tl::unexpected(std::move(findings));
  for (const std::vector<Cell>& cells : table->rows) {
    if (!in.next(cells)) continue;
    std::optional<Row> row = row_of(in);
    if (row && !in.failed()) rows.push_back(std::move(*row));
  }
  // a heading that is not used would be a column that is silently ignored
  for (const std::string& extra : in.extra_columns()) {
    if (extra.empty()) continue;
    in.report(table->header.front().place,
              fmt::format("column '{}' is unknown", extra.substr(0, 40)),
              fmt::format("known columns: {}", fmt::join(columns.names, ", ")));
  }
  if (!findings.empty()) return tl::unexpected(std::move(findings));
  return rows;
}

std::optional<Duration> time_of(RowReader& in, std::string_view column) {
  const Cell* c = in.cell(column);
  if (c == nullptr) return std::nullopt;
  const auto time = model::parse_duration(c->text);
  if (time) return *time;
  in.bad(*c, column, "a time with its unit, such as 500ms, 2s or 1min");
  return std::nullopt;
}

class FaultRow {
 public:
  explicit FaultRow(const model::ResolvedPlan& plan) : plan_(plan) {
    for (const auto& slave : plan.plan.slaves) names_.push_back(slave.name);
    for (const auto& controller : plan.plan.controllers) names_.push_back(controller.name);
  }

  std::optional<Fault> operator()(RowReader& in) const {
    Fault fault;
    if (in.needed("at") != nullptr) fault.at = time_of(in, "at").value_or(Duration{});
    if (const auto time = time_of(in, "for")) fault.until = fault.at + *time;
    read_slave(in, fault);
    const Cell* kind = in.needed("fault");
    if (kind == nullptr) return std::nullopt;
    const auto known = engine::fault_kind_from(kind->text);
    if (!known) {
      const auto kinds = engine::fault_kinds();
      in.bad(*kind, "fault", fmt::format("one of {}", fmt::join(kinds, ", ")),
             nearest(kind->text, kinds));
      return std::nullopt;
    }
    fault.kind = *known;
    const bool of_connections = *known == FaultKind::drop || *known == FaultKind::refuse;
    if (of_connections && !fault.is_peer && in.cell("slave") != nullptr &&
        fault.index < plan_.exchange.slaves.size() && !plan_.exchange.slaves[fault.index].host) {
      in.bad(*kind, "fault", "a fault that a slave on a line can have: it has no connection");
      return std::nullopt;
    }
    read_with(in, fault);
    return fault;
  }

 private:
  void read_slave(RowReader& in, Fault& fault) const {
    const Cell* c = in.needed("slave");
    if (c == nullptr) return;
    const auto at = std::find(names_.begin(), names_.end(), c->text);
    if (at == names_.end()) {
      in.bad(*c, "slave", "the name of a slave of the plan, or of a controller that answers",
             nearest(c->text, names_));
      return;
    }
    const auto index = static_cast<std::size_t>(at - names_.begin());
    fault.is_peer = index >= plan_.plan.slaves.size();
    fault.index = fault.is_peer ? index - plan_.plan.slaves.size() : index;
  }

  static void read_with(RowReader& in, Fault& fault) {
    const Cell* c = in.cell("with");
    switch (fault.kind) {
      case FaultKind::slow:
      case FaultKind::late: {
        if (c == nullptr && fault.kind == FaultKind::late) return;
        if (in.needed("with") != nullptr) fault.time = time_of(in, "with").value_or(Duration{});
        return;
      }
      case FaultKind::garbled: {
        const auto share = in.number("with");
        if (c != nullptr && share && (*share <= 0 || *share > 1)) {
          in.bad(*c, "with", "a share above 0, at most 1, such as 0.2");
        }
        fault.share = share.value_or(1);
        return;
      }
      case FaultKind::exception: {
        const auto code = in.whole("with", 255);
        fault.code = static_cast<std::uint8_t>(code.value_or(4));
        return;
      }
      default: break;
    }
    if (c != nullptr) in.bad(*c, "with", "nothing here: this fault takes no number");
  }

  const model::ResolvedPlan& plan_;
  std::vector<std::string_view> names_;
};

const model::Point* point_at(const model::ResolvedPlan& plan, const ValueSpot& spot) {
  if (spot.as) return &*spot.as;
  if (!spot.slave) return nullptr;
  return &plan.map_of({false, *spot.slave, 0})->points()[spot.point];
}

bool is_text(const model::Point* point) {
  return point != nullptr && point->type.kind == model::TypeKind::text;
}

std::optional<double> plain_number(std::string_view text) {
  if (text == "true") return 1.0;
  if (text == "false") return 0.0;
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size() || !std::isfinite(value)) {
    return std::nullopt;
  }
  return value;
}

std::string range_of(const model::Point& point) {
  return fmt::format("{} to {}, the range that the map states",
                     point.min ? fmt::format("{:g}", *point.min) : "any",
                     point.max ? fmt::format("{:g}", *point.max) : "any");
}

// A number that the place can hold, or a finding.
std::optional<double> number_for(RowReader& in, const Cell& c, const ValueSpot& spot,
                                 const model::Point* point) {
  const auto value = plain_number(c.text);
  if (!value) return std::nullopt;
  const bool bit =
      spot.memory && (spot.memory->bit || spot.memory->bits.end - spot.memory->bits.first == 1);
  const bool truth = bit || (point != nullptr && point->type.kind == model::TypeKind::boolean);
  if (truth && *value != 0 && *value != 1) {
    in.bad(c, "value", "0 or 1: this is a bit");
    return std::nullopt;
  }
  if (spot.memory && !bit && point == nullptr &&
      (*value != std::floor(*value) || *value < -32768 || *value > 65535)) {
    in.bad(c, "value", "a whole number from -32768 to 65535: this is a word");
    return std::nullopt;
  }
  if (point != nullptr &&
      ((point->min && *value < *point->min) || (point->max && *value > *point->max))) {
    in.bad(c, "value", range_of(*point));
    return std::nullopt;
  }
  return value;
}

}  // namespace

TableOf<Fault> read_faults(const std::string& text, std::uint32_t file,
                           const model::ResolvedPlan& plan) {
  const FaultRow row(plan);
  return read_rows<Fault>(text, file, columns_of_faults, [&](RowReader& in) { return row(in); });
}

namespace {

std::optional<StatedValue> stated_value(RowReader& in, Spots& spots,
                                        const model::ResolvedPlan& plan) {
  StatedValue out;
  out.from = time_of(in, "at");
  const auto spot = spots.read(in, out.from.value_or(Duration{}));
  const Cell* c = in.needed("value");
  if (!spot || c == nullptr) return std::nullopt;
  out.at = *spot;
  out.written = c->text;
  const model::Point* point = point_at(plan, *spot);
  if (is_text(point)) {
    out.text = c->text;
    return out;
  }
  const auto number = number_for(in, *c, *spot, point);
  if (in.failed()) return std::nullopt;
  if (number) {
    engine::Generator constant;
    constant.a = *number;
    out.generator = constant;
    return out;
  }
  const auto generator = engine::generator_from(c->text);
  if (!generator) {
    in.bad(*c, "value", generator.error());
    return std::nullopt;
  }
  const auto [least, most] = generator->reach();
  if (point != nullptr &&
      ((point->min && least < *point->min) || (point->max && most > *point->max))) {
    in.bad(*c, "value", "one that stays within " + range_of(*point));
    return std::nullopt;
  }
  out.generator = *generator;
  return out;
}

}  // namespace

TableOf<StatedValue> read_values(const std::string& text, std::uint32_t file,
                                 const model::ResolvedPlan& plan) {
  Spots spots(plan);
  return read_rows<StatedValue>(text, file, columns_of_values,
                                [&](RowReader& in) { return stated_value(in, spots, plan); });
}

TableOf<StatedValue> read_value_line(const std::string& text, std::uint32_t line,
                                     const model::ResolvedPlan& plan) {
  const bool is_blank = text.find_first_not_of(" \t\r") == std::string::npos;
  if (is_blank || text.starts_with("where,")) return std::vector<StatedValue>();
  auto rows = read_values("where,value,at\n" + text + "\n", 0, plan);
  if (rows) return rows;
  Findings findings = std::move(rows.error());
  for (model::Finding& each : findings) {
    each.place.line = line;
    // there is but this one
    if (each.message.starts_with("row 2: ")) each.message.erase(0, 7);
  }
  return tl::unexpected(std::move(findings));
}

tl::expected<ValueSpot, std::string> read_spot(const std::string& where,
                                               const model::ResolvedPlan& plan) {
  static constexpr std::array<std::string_view, 1> columns{"where"};
  constexpr TableColumns column_of_spots{columns, columns, {}, "name a place", "name a place"};
  Spots spots(plan);
  std::string cell = "\"";
  for (const char c : where) cell += c == '"' ? std::string("\"\"") : std::string(1, c);
  const auto rows = read_rows<ValueSpot>("where\n" + cell + "\"\n", 0, column_of_spots,
                                         [&](RowReader& in) { return spots.read(in); });
  if (rows && !rows->empty()) return rows->front();
  if (rows) return tl::unexpected(std::string("names no place"));
  const model::Finding& first = rows.error().front();
  return tl::unexpected(fmt::format("'{}' names no place: {}", where.substr(0, 60), first.remedy));
}

TableOf<ExpectedValue> read_expected(const std::string& text, std::uint32_t file,
                                     const model::ResolvedPlan& plan) {
  Spots spots(plan);
  return read_rows<ExpectedValue>(text, file, columns_of_expected,
                                  [&](RowReader& in) -> std::optional<ExpectedValue> {
                                    const auto spot = spots.read(in);
                                    const Cell* c = in.needed("value");
                                    if (!spot || c == nullptr) return std::nullopt;
                                    ExpectedValue out;
                                    out.at = *spot;
                                    const model::Point* point = point_at(plan, *spot);
                                    if (is_text(point)) {
                                      out.text = c->text;
                                    } else {
                                      out.value = number_for(in, *c, *spot, point);
                                      out.digits = c->text;
                                      if (!out.value && !in.failed())
                                        in.bad(*c, "value", "a number, such as 12.5");
                                    }
                                    out.tolerance = in.number("tolerance").value_or(0);
                                    if (out.tolerance < 0)
                                      in.bad(*in.cell("tolerance"), "tolerance", "0 or more");
                                    out.within = time_of(in, "within");
                                    return out;
                                  });
}

}  // namespace greymet::files
