#include "editor/things.h"

#include <algorithm>
#include <filesystem>
#include <map>

#include "editor/roles.h"
#include "model/memory_use.h"

namespace greymet::editor {

using files::Span;
using model::SubjectKind;

namespace {

std::optional<SubjectKind> kind_of_section(std::string_view path) {
  const std::string_view section = path.substr(0, path.find('.'));
  if (section == "controller") return SubjectKind::controller;
  if (section == "line") return SubjectKind::line;
  if (section == "gateway") return SubjectKind::gateway;
  if (section == "slave") return SubjectKind::slave;
  return std::nullopt;
}

std::optional<SubjectKind> kind_of_rows(std::string_view path) {
  if (path == "exchange.transactions") return SubjectKind::transaction;
  if (path == "supervision.heartbeats") return SubjectKind::heartbeat;
  if (path == "supervision.paths") return SubjectKind::path;
  return std::nullopt;
}

class Collector {
 public:
  explicit Collector(const PlanView& view) : view_(view) {}

  std::vector<Occurrence> run() {
    if (view_.reading().is_plan) {
      headers();
      for (const KeyText& key : view_.plan_text().keys()) of_key(key);
    }
    for (std::uint32_t file = 0; file < view_.files(); ++file) of_table(file);
    std::stable_sort(out_.begin(), out_.end(), [](const Occurrence& a, const Occurrence& b) {
      return std::pair(a.where.file, a.where.span.begin) <
             std::pair(b.where.file, b.where.span.begin);
    });
    return std::move(out_);
  }

 private:
  void add(Thing thing, std::uint32_t file, const Span& span, bool is_definition = false) {
    if (!span.empty()) out_.push_back({std::move(thing), {file, span}, is_definition});
  }

  void headers() {
    const PlanText& text = view_.plan_text();
    std::map<std::size_t, std::size_t> seen;  // begin of a name -> occurrence
    for (const TableText& table : text.tables()) {
      const auto kind = kind_of_section(table.path);
      if (!kind || table.names.empty()) continue;
      const NamePart& name = table.names.front();
      const bool own = std::count(table.path.begin(), table.path.end(), '.') == 1;
      const auto [at, is_new] = seen.try_emplace(name.span.begin, out_.size());
      if (is_new) {
        add({*kind, name.name}, 0, text.inner(name.span), own);
      } else if (own) {
        out_[at->second].is_definition = true;
      }
    }
  }

  void of_key(const KeyText& key) {
    const PlanText& text = view_.plan_text();
    const TableText& table = text.tables()[key.table];
    if (table.path == "exchange.transactions.value" && !key.is_element) {
      point(view_.point_owner(table), key.key, 0, text.inner(key.key_span));
      return;
    }
    if (key.is_nested || key.value.empty()) return;
    const Span span = text.inner(key.value);
    named(
        role_of(table.path, key.key), std::string(text.word(key.value)), 0, span,
        [&] { return view_.point_owner(table); }, kind_of_rows(table.path));
  }

  void of_table(std::uint32_t file) {
    const TableKind kind = view_.table_kind(file);
    if (kind == TableKind::none) return;
    const files::CsvTable* const table = view_.table(file);
    if (table == nullptr) return;
    std::size_t slave_column = table->header.size();
    for (std::size_t i = 0; i < table->header.size(); ++i) {
      if (table->header[i].text == "slave") slave_column = i;
    }
    for (const auto& row : table->rows) {
      for (std::size_t i = 0; i < std::min(row.size(), table->header.size()); ++i) {
        if (row[i].text.empty()) continue;
        const std::string& heading = table->header[i].text;
        if (kind == TableKind::map) {
          if (heading != "point") continue;
          add({SubjectKind::point, row[i].text, view_.path_of(file)}, file,
              view_.span_of_cell(file, row[i]), true);
          continue;
        }
        const std::string_view path = kind == TableKind::tags ? "tags" : "exchange.transactions";
        const Role role = role_of(path, heading);
        if (role == Role::none || role == Role::memory) continue;
        named(
            role, row[i].text, file, view_.span_of_cell(file, row[i]),
            [&]() -> std::optional<std::size_t> {
              if (slave_column >= row.size()) return std::nullopt;
              return view_.slave_named(row[slave_column].text);
            },
            kind_of_rows(path));
      }
    }
  }

  template <class OwnerOf>
  void named(Role role, const std::string& word, std::uint32_t file, const Span& span,
             const OwnerOf& owner_of, std::optional<SubjectKind> row_kind) {
    switch (role) {
      case Role::controller: add({SubjectKind::controller, word}, file, span); return;
      case Role::line: add({SubjectKind::line, word}, file, span); return;
      case Role::gateway: add({SubjectKind::gateway, word}, file, span); return;
      case Role::slave: add({SubjectKind::slave, word}, file, span); return;
      case Role::asked: {
        const bool is_peer = !view_.slave_named(word) && view_.controller_named(word);
        add({is_peer ? SubjectKind::controller : SubjectKind::slave, word}, file, span);
        return;
      }
      case Role::point: point(owner_of(), word, file, span); return;
      case Role::place: place(word, file, span); return;
      case Role::subject: subject(word, file, span); return;
      case Role::own_name:
        if (row_kind) add({*row_kind, word}, file, span, true);
        return;
      case Role::none:
      case Role::memory:
      case Role::file:
      case Role::rule: return;
    }
  }

  void point(std::optional<std::size_t> slave, const std::string& word, std::uint32_t file,
             const Span& span) {
    const auto map = slave ? view_.plan().plan.slaves[*slave].map : std::nullopt;
    if (!map) return;
    const model::Point* const found = view_.plan().plan.maps[*map].find(word);
    if (found == nullptr) return;
    add({SubjectKind::point, word, view_.path_of(found->place.file)}, file, span);
  }

  void place(const std::string& word, std::uint32_t file, const Span& span) {
    const auto parts = parts_of_place(view_, word);
    if (!parts) return;
    const std::size_t middle = span.begin + parts->owner_name.size();
    if (middle >= span.end) return;
    const SubjectKind kind = parts->at_slave ? SubjectKind::slave : SubjectKind::controller;
    add({kind, parts->owner_name}, file, {span.begin, middle});
    if (parts->at_slave) point(parts->owner, parts->rest, file, {middle + 1, span.end});
  }

  void subject(const std::string& word, std::uint32_t file, const Span& span) {
    for (const SubjectKind kind :
         {SubjectKind::controller, SubjectKind::line, SubjectKind::gateway, SubjectKind::slave,
          SubjectKind::transaction, SubjectKind::heartbeat, SubjectKind::path}) {
      const std::string begin = std::string(to_string(kind)) + " ";
      if (!word.starts_with(begin)) continue;
      add({kind, word.substr(begin.size())}, file, {span.begin + begin.size(), span.end});
      return;
    }
  }

  const PlanView& view_;
  std::vector<Occurrence> out_;
};

// Where a use of memory names it.
FileSpan span_of_use(const PlanView& view, const model::MemoryUse& use) {
  return {use.place.file, view.span(use.place)};
}

std::vector<model::MemoryUse> uses_of(const PlanView& view, const MemoryPlace& place) {
  std::vector<model::MemoryUse> out;
  const auto all = model::memory_uses(view.plan());
  for (const model::MemoryUse& use : all[model::ControllerIndex(place.controller)]) {
    if (model::overlap(use.bits, place.range.bits)) out.push_back(use);
  }
  return out;
}

void add_once(std::vector<FileSpan>& list, const FileSpan& span) {
  if (std::find(list.begin(), list.end(), span) == list.end()) list.push_back(span);
}

}  // namespace

std::vector<Occurrence> occurrences_in(const PlanView& view) {
  return Collector(view).run();
}

const Occurrence* occurrence_at(const std::vector<Occurrence>& all, std::uint32_t file,
                                std::size_t byte) {
  for (const Occurrence& each : all) {
    if (each.where.file == file && each.where.span.begin <= byte && byte <= each.where.span.end) {
      return &each;
    }
  }
  return nullptr;
}

std::optional<PlaceParts> parts_of_place(const PlanView& view, std::string_view place) {
  for (std::size_t dot = place.rfind('.'); dot != std::string_view::npos && dot > 0;
       dot = place.rfind('.', dot - 1)) {
    const std::string_view owner = place.substr(0, dot);
    const std::string rest(place.substr(dot + 1));
    if (const auto slave = view.slave_named(owner)) {
      return PlaceParts{true, *slave, std::string(owner), rest};
    }
    if (const auto controller = view.controller_named(owner)) {
      return PlaceParts{false, *controller, std::string(owner), rest};
    }
  }
  return std::nullopt;
}

namespace {

std::optional<model::MemoryRange> range_of(const model::MemoryLayout& layout, std::string_view word,
                                           std::int64_t count) {
  const auto spot = layout.read(word);
  if (!spot || !spot->number) return std::nullopt;
  if (spot->bit) {
    const auto bit = layout.single_bit(*spot);
    return bit ? std::optional(*bit) : std::nullopt;
  }
  auto range = layout.range(spot->area, *spot->number, std::max<std::int64_t>(1, count));
  if (!range) range = layout.range(spot->area, *spot->number, 1);
  return range ? std::optional(*range) : std::nullopt;
}

// What the transactions of a row have resolved at that key, if anything.
std::optional<model::MemoryRange> resolved_range(const PlanView& view, std::uint32_t file,
                                                 const Span& row, std::string_view key) {
  for (const std::size_t t : view.transactions_in(file, row)) {
    const model::ResolvedTransaction& own = view.plan().transactions[t];
    if (key == "into" && own.into) return own.into;
    if (key == "from" && own.from) return own.from;
  }
  return std::nullopt;
}

std::optional<MemoryPlace> memory_in_plan(const PlanView& view, std::size_t byte) {
  const PlanText& text = view.plan_text();
  const KeyText* const key = text.key_at(byte);
  if (key == nullptr || key->is_nested || key->value.begin > byte) return std::nullopt;
  const TableText& table = text.tables()[key->table];
  const std::string_view word = text.word(key->value);
  const Role role = role_of(table.path, key->key);
  if (role == Role::place) {
    const auto parts = parts_of_place(view, word);
    if (!parts || parts->at_slave) return std::nullopt;
    const auto range =
        range_of(view.plan().layouts[model::ControllerIndex(parts->owner)], parts->rest, 1);
    return range ? std::optional(MemoryPlace{parts->owner, *range}) : std::nullopt;
  }
  if (role != Role::memory) return std::nullopt;
  const auto owner = view.memory_owner(table, key->key);
  if (!owner) return std::nullopt;
  const TableText& row = view.row_of(table);
  if (row.path == "exchange.transactions") {
    if (const auto known = resolved_range(view, 0, row.whole, key->key)) {
      return MemoryPlace{*owner, *known};
    }
  }
  std::int64_t count = 1;
  if (row.path == "exchange.copies") {
    const std::string_view digits = text.word_of(row, "count");
    for (const char c : digits.substr(0, 9)) {
      if (c >= '0' && c <= '9') count = (count == 1 ? 0 : count * 10) + (c - '0');
    }
  }
  const auto range = range_of(view.plan().layouts[model::ControllerIndex(*owner)], word, count);
  return range ? std::optional(MemoryPlace{*owner, *range}) : std::nullopt;
}

std::optional<MemoryPlace> memory_in_table(const PlanView& view, std::uint32_t file,
                                           std::size_t byte) {
  const auto cell = view.cell_at(file, byte);
  if (!cell || cell->is_heading) return std::nullopt;
  const TableKind kind = view.table_kind(file);
  if (kind == TableKind::tags && cell->heading == "address") {
    const std::size_t owner = view.controllers_of_tags(file).front();
    for (const model::ResolvedTag& tag : view.plan().tags) {
      const model::Tag& declared = view.plan().declared(tag);
      if (tag.controller == owner && tag.memory && declared.address.place.file == file &&
          view.span(declared.address.place).contains(cell->span.begin)) {
        return MemoryPlace{owner, *tag.memory};
      }
    }
    return std::nullopt;
  }
  if (kind != TableKind::transactions) return std::nullopt;
  const files::CsvTable& table = *view.table(file);
  const auto& row = table.rows[cell->row];
  const Span stretch{view.span_of_cell(file, row.front()).begin,
                     view.span_of_cell(file, row.back()).end};
  const auto known = resolved_range(view, file, stretch, cell->heading);
  for (const std::size_t t : view.transactions_in(file, stretch)) {
    const auto& controller = view.plan().transactions[t].controller;
    if (known && controller) return MemoryPlace{controller->value, *known};
  }
  return std::nullopt;
}

}  // namespace

std::optional<MemoryPlace> memory_at(const PlanView& view, std::uint32_t file, std::size_t byte) {
  if (file == 0) return view.reading().is_plan ? memory_in_plan(view, byte) : std::nullopt;
  return memory_in_table(view, file, byte);
}

std::vector<FileSpan> definitions_at(const PlanView& view, std::uint32_t file, std::size_t byte) {
  std::vector<FileSpan> out;
  if (const auto place = memory_at(view, file, byte)) {
    for (const model::MemoryUse& use : uses_of(view, *place)) {
      if (model::puts_something(use.purpose)) add_once(out, span_of_use(view, use));
    }
    if (!out.empty()) return out;
    const model::Controller& owner = view.plan().plan.controllers[place->controller];
    const model::Range area = owner.memory[place->range.area].place;
    return {{area.file, view.span(area)}};
  }
  // a file that is named
  if (file == 0 && view.reading().is_plan) {
    const PlanText& text = view.plan_text();
    const KeyText* const key = text.key_at(byte);
    if (key != nullptr && role_of(text.tables()[key->table].path, key->key) == Role::file &&
        key->value.begin <= byte) {
      const std::string& plan = view.path_of(0);
      const std::string word(text.word(key->value));
      const auto named =
          view.file_of(std::filesystem::path(plan.substr(0, plan.rfind('/') + 1) + word)
                           .lexically_normal()
                           .string());
      if (named) return {{*named, {0, 0}}};
    }
  }
  const auto all = occurrences_in(view);
  const Occurrence* const own = occurrence_at(all, file, byte);
  if (own == nullptr) return out;
  std::vector<std::string> names{own->thing.name};
  // one of several that are alike is made by what stands for all of them
  for (const model::AlikeSlaves& group : view.plan().plan.alike) {
    const bool member = std::any_of(group.members.begin(), group.members.end(),
                                    [&](const auto& m) { return m.name == own->thing.name; });
    if (own->thing.kind == SubjectKind::slave && member) names.push_back(group.name);
  }
  for (const std::string& name : names) {
    Thing wanted = own->thing;
    wanted.name = name;
    for (const Occurrence& each : all) {
      if (each.is_definition && each.thing == wanted) add_once(out, each.where);
    }
    if (!out.empty()) break;
  }
  return out;
}

std::vector<FileSpan> references_at(const PlanView& view, std::uint32_t file, std::size_t byte,
                                    bool with_definition) {
  std::vector<FileSpan> out;
  if (const auto place = memory_at(view, file, byte)) {
    for (const model::MemoryUse& use : uses_of(view, *place)) add_once(out, span_of_use(view, use));
    for (const model::ResolvedTag& tag : view.plan().tags) {
      if (tag.controller != place->controller || !tag.memory) continue;
      if (!model::overlap(tag.memory->bits, place->range.bits)) continue;
      const model::Range where = view.plan().declared(tag).address.place;
      add_once(out, {where.file, view.span(where)});
    }
    return out;
  }
  const auto all = occurrences_in(view);
  const Occurrence* const own = occurrence_at(all, file, byte);
  if (own == nullptr) return out;
  for (const Occurrence& each : all) {
    if (each.thing == own->thing && (with_definition || !each.is_definition)) {
      add_once(out, each.where);
    }
  }
  return out;
}

}  // namespace greymet::editor
