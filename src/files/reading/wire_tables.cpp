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

namespace greymet::files {

using engine::Fault;
using engine::FaultKind;
using internal::RowReader;
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

constexpr std::array<std::string_view, 2> value_columns{"where", "value"};
constexpr std::array<Synonym, 2> value_synonyms{{{"point", "where"}, {"tag", "where"}}};
constexpr TableColumns columns_of_values{value_columns, value_columns, value_synonyms,
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

// "slave.point", "controller.%MW100", "controller.%MW100.3", "controller.tag".
class Spots {
 public:
  explicit Spots(const model::ResolvedPlan& plan) : plan_(plan) {}

  std::optional<ValueSpot> read(RowReader& in) {
    const Cell* c = in.needed("where");
    if (c == nullptr) return std::nullopt;
    const auto [first, is_new] = seen_.try_emplace(c->text, in.number_of_row());
    if (!is_new) {
      in.fail();
      in.report(c->place,
                fmt::format("row {}: '{}' stands in row {} already", in.number_of_row(),
                            c->text.substr(0, 60), first->second),
                "keep one of the two");
      return std::nullopt;
    }
    const std::size_t dot = c->text.find('.');
    const std::string owner = c->text.substr(0, dot);
    const std::string rest = dot == std::string::npos ? std::string() : c->text.substr(dot + 1);
    ValueSpot spot;
    spot.where = c->text;
    spot.place = c->place;
    const auto& slaves = plan_.plan.slaves;
    for (std::size_t s = 0; s < slaves.size(); ++s) {
      if (slaves[s].name == owner) return point_of(in, *c, s, rest, spot);
    }
    const auto& controllers = plan_.plan.controllers;
    for (std::size_t i = 0; i < controllers.size(); ++i) {
      if (controllers[i].name == owner) return memory_of(in, *c, i, rest, spot);
    }
    std::vector<std::string_view> known;
    for (const auto& slave : slaves) known.emplace_back(slave.name);
    for (const auto& controller : controllers) known.emplace_back(controller.name);
    in.bad(*c, "where",
           fmt::format("slave.point or controller.address{}",
                       model::nearest_or_example(owner, known)));
    return std::nullopt;
  }

 private:
  std::optional<ValueSpot> point_of(RowReader& in, const Cell& c, std::size_t slave,
                                    const std::string& name, ValueSpot spot) const {
    const model::RegisterMap* map = plan_.map_of({false, slave, 0});
    const model::Point* point = map == nullptr ? nullptr : map->find(name);
    if (point != nullptr) {
      spot.slave = slave;
      spot.point = static_cast<std::size_t>(point - map->points().data());
      return spot;
    }
    std::vector<std::string_view> known;
    if (map != nullptr) {
      for (const model::Point& each : map->points()) known.emplace_back(each.name);
    }
    in.bad(c, "where",
           fmt::format("a point of slave {}{}", plan_.plan.slaves[slave].name,
                       model::nearest_or_example(name, known)));
    return std::nullopt;
  }

  std::optional<ValueSpot> memory_of(RowReader& in, const Cell& c, std::size_t controller,
                                     const std::string& text, ValueSpot spot) const {
    spot.controller = model::ControllerIndex(controller);
    const model::MemoryLayout& layout = plan_.layouts[controller];
    for (const model::ResolvedTag& tag : plan_.tags) {
      if (tag.controller != spot.controller || plan_.declared(tag).name != text) continue;
      if (tag.memory && (tag.memory->bit || tag.memory->count == 1)) {
        spot.memory = tag.memory;
        return spot;
      }
      in.bad(c, "where", "a word or a bit: this tag takes several words");
      return std::nullopt;
    }
    const auto at = layout.read(text);
    if (!at || !at->number) {
      in.bad(c, "where",
             fmt::format("a word, a bit or a tag of controller {}, such as {}.{}",
                         plan_.plan.controllers[controller].name,
                         plan_.plan.controllers[controller].name, example(controller)));
      return std::nullopt;
    }
    const bool is_bit =
        at->bit || layout.controller().memory[at->area].kind == model::MemoryKind::bit;
    const auto range = is_bit ? layout.single_bit(*at) : layout.range(at->area, *at->number, 1);
    if (!range) {
      in.fail();
      in.report(c.place, fmt::format("row {}: {}", in.number_of_row(), range.error().message),
                "name a word or a bit that the controller has");
      return std::nullopt;
    }
    spot.memory = *range;
    return spot;
  }

  [[nodiscard]] std::string example(std::size_t controller) const {
    const auto& memory = plan_.plan.controllers[controller].memory;
    return memory.empty() ? std::string("%MW100")
                          : fmt::format("{}{}", memory[0].name, memory[0].first);
  }

  const model::ResolvedPlan& plan_;
  std::map<std::string, std::size_t> seen_;
};

const model::Point* point_at(const model::ResolvedPlan& plan, const ValueSpot& spot) {
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
  if (spot.memory && !bit && (*value != std::floor(*value) || *value < -32768 || *value > 65535)) {
    in.bad(c, "value", "a whole number from -32768 to 65535: this is a word");
    return std::nullopt;
  }
  if (point != nullptr &&
      ((point->min && *value < *point->min) || (point->max && *value > *point->max))) {
    in.bad(c, "value",
           fmt::format("{} to {}, the range that the map states",
                       point->min ? fmt::format("{:g}", *point->min) : "any",
                       point->max ? fmt::format("{:g}", *point->max) : "any"));
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

TableOf<StatedValue> read_values(const std::string& text, std::uint32_t file,
                                 const model::ResolvedPlan& plan, bool may_move) {
  Spots spots(plan);
  return read_rows<StatedValue>(
      text, file, columns_of_values, [&](RowReader& in) -> std::optional<StatedValue> {
        const auto spot = spots.read(in);
        const Cell* c = in.needed("value");
        if (!spot || c == nullptr) return std::nullopt;
        StatedValue out;
        out.at = *spot;
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
        if (!may_move) {
          in.bad(*c, "value", "a number, such as 12.5");
          return std::nullopt;
        }
        const auto generator = engine::generator_from(c->text);
        if (!generator) {
          in.bad(*c, "value", generator.error());
          return std::nullopt;
        }
        if (spot->memory) {
          in.bad(*c, "value", "a number: words and bits of controllers do not move by themselves");
          return std::nullopt;
        }
        out.generator = *generator;
        return out;
      });
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
