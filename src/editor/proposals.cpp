#include <algorithm>
#include <charconv>
#include <set>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "editor/features.h"
#include "editor/roles.h"
#include "files/plan_keys.h"
#include "markdown.h"
#include "model/duration_text.h"
#include "model/free_memory.h"
#include "model/memory_use.h"
#include "plan_cursor.h"
#include "proposal_parts.h"
#include "timing/phases.h"

namespace greymet::editor {

using files::KeyForm;
using files::KeyKind;
using files::PlanKey;
using files::Span;
using internal::as_words;
using internal::PlanCursor;

namespace {

using internal::most_proposed;

class Proposer {
 public:
  Proposer(const PlanView& view, std::string_view text, PlanCursor cursor, const KeyHelp& help)
      : view_(view), text_(text), cursor_(std::move(cursor)), help_(help) {}

  Proposals run() {
    out_.replaced = cursor_.typed;
    if (!cursor_.in_value) {
      propose_keys();
    } else {
      propose_values();
    }
    if (out_.list.size() > most_proposed) out_.list.resize(most_proposed);
    return std::move(out_);
  }

 private:
  [[nodiscard]] const model::Plan& plan() const { return view_.plan().plan; }

  void add(Proposal proposal) { out_.list.push_back(std::move(proposal)); }

  // A text as a value: in quotes where none stand there.
  [[nodiscard]] std::string quoted(std::string_view word) const {
    return cursor_.in_quotes ? std::string(word) : fmt::format("\"{}\"", word);
  }
  void add_text(std::string_view word, std::string detail, ProposalKind kind,
                std::string about = {}) {
    add({std::string(word), std::move(detail), std::move(about), quoted(word), false, kind});
  }

  // ---- keys

  static std::string value_template(const PlanKey& key) {
    const KeyForm& form = key.forms.front();
    switch (form.kind) {
      case KeyKind::text:
      case KeyKind::duration:
      case KeyKind::words:
      case KeyKind::grammar: return "\"$1\"";
      case KeyKind::flag: return "${1:true}";
      case KeyKind::table:
        return key.name == "park" ? "{ after = ${1:3}, retry = \"${2:10s}\" }"
               : key.name == "status" || key.name == "settings" || key.name == "read" ||
                       key.name == "write"
                   ? "{ $1 }"
                   : "{ typical = \"${1:5ms}\", max = \"${2:20ms}\" }";
      case KeyKind::tables: return "[\n  $1\n]";
      case KeyKind::wholes: return "[$1]";
      case KeyKind::whole:
      case KeyKind::number:
      case KeyKind::address:
      case KeyKind::texts:
      case KeyKind::addresses:
      case KeyKind::anything: break;
    }
    return "$1";
  }

  void propose_keys() {
    if (cursor_.in_quotes) return;
    if (cursor_.begins_line) {
      for (const internal::Template& each : internal::section_templates()) {
        add({std::string(each.label),
             std::string(each.detail),
             {},
             std::string(each.text),
             true,
             ProposalKind::snippet});
      }
    }
    const files::PlanTable* const table = files::plan_table(cursor_.path);
    if (table == nullptr || cursor_.path.empty()) return;
    for (const PlanKey& key : table->keys) {
      if (cursor_.keys.contains(key.name)) continue;
      const bool plain = cursor_.has_equals;
      add({key.name, key.required ? "required" : "", as_words(help_(cursor_.path, key.name)),
           plain ? key.name : fmt::format("{} = {}", key.name, value_template(key)), !plain,
           ProposalKind::key});
    }
  }

  // ---- values

  void propose_values() {
    if (cursor_.in_list && !cursor_.in_quotes && is_list_of_rows()) {
      const bool transactions = cursor_.key == "transactions";
      for (const internal::Template& each : internal::row_templates()) {
        if (!transactions) break;
        add({std::string(each.label),
             std::string(each.detail),
             {},
             std::string(each.text),
             true,
             ProposalKind::snippet});
      }
      return;
    }
    const files::PlanTable* const table = files::plan_table(cursor_.path);
    const PlanKey* const key = table == nullptr ? nullptr : table->find(cursor_.key);
    if (key == nullptr) return;
    for (const KeyForm& form : key->forms) of_form(form);
    of_role();
    if (cursor_.path == "exchange.transactions" && cursor_.key == "fc") functions();
    if (cursor_.path == "slave.*" && cursor_.key == "unit") free_units();
    if (cursor_.key == "phase") free_phases();
  }

  [[nodiscard]] bool is_list_of_rows() const {
    const files::PlanTable* const table = files::plan_table(cursor_.path);
    const PlanKey* const key = table == nullptr ? nullptr : table->find(cursor_.key);
    return key != nullptr && std::any_of(key->forms.begin(), key->forms.end(),
                                         [](const auto& f) { return f.kind == KeyKind::tables; });
  }

  [[nodiscard]] std::string_view typed() const {
    return text_.substr(cursor_.typed.begin, cursor_.typed.end - cursor_.typed.begin);
  }

  void of_form(const KeyForm& form) {
    switch (form.kind) {
      case KeyKind::words:
      case KeyKind::grammar:
        for (const std::string& word : form.words) add_text(word, {}, ProposalKind::word);
        return;
      case KeyKind::flag:
        if (cursor_.in_quotes) return;
        add({"true", {}, {}, "true", false, ProposalKind::word});
        add({"false", {}, {}, "false", false, ProposalKind::word});
        return;
      case KeyKind::duration: durations(form); return;
      default: return;
    }
  }

  // The number that stands there in every unit; without one, what is often meant.
  void durations(const KeyForm& form) {
    std::string digits;
    for (const char c : typed()) {
      if ((c < '0' || c > '9') && c != '.') break;
      digits += c;
    }
    std::vector<std::string> texts;
    if (digits.empty()) {
      texts = {"10ms", "50ms", "100ms", "200ms", "500ms", "1s", "2s", "5s", "10s", "1min"};
    } else {
      for (const char* unit : {"ms", "s", "us", "min", "h"}) texts.push_back(digits + unit);
    }
    for (const std::string& text : texts) {
      const auto value = model::parse_duration(text);
      if (value && model::in_ns(*value) >= form.least_ns) {
        add_text(text, {}, ProposalKind::number);
      }
    }
  }

  void of_role() {
    switch (role_of(cursor_.path, cursor_.key)) {
      case Role::controller: return controllers(false);
      case Role::line:
        for (const model::Line& line : plan().lines)
          add_text(line.name, "line", ProposalKind::name);
        return;
      case Role::gateway:
        for (const model::Gateway& box : plan().gateways) {
          add_text(box.name, "gateway", ProposalKind::name);
        }
        return;
      case Role::slave: return slaves();
      case Role::asked: slaves(); return controllers(true);
      case Role::point:
        if (const auto slave = view_.slave_named(row_word("slave"))) points_of(*slave, {});
        return;
      case Role::place: return places();
      case Role::memory: return free_memory();
      case Role::file: return file_names();
      case Role::rule:
        for (const checks::RuleEntry& rule : checks::catalogue()) {
          add_text(to_string(rule.code), std::string(rule.title), ProposalKind::word,
                   as_words(rule.why));
        }
        return;
      case Role::subject: return subjects();
      case Role::own_name:
      case Role::none: return;
    }
  }

  // A word of the row, from within `read` and the like too.
  [[nodiscard]] std::string row_word(const std::string& key) const {
    const auto own = cursor_.keys.find(key);
    if (own != cursor_.keys.end() && !own->second.empty()) return own->second;
    const auto around = cursor_.row.find(key);
    return around == cursor_.row.end() ? std::string() : around->second;
  }

  void controllers(bool answering) {
    for (const model::Controller& each : plan().controllers) {
      if (answering && each.answers.empty()) continue;
      add_text(each.name, "controller", ProposalKind::name);
    }
  }

  void slaves() {
    for (std::size_t i = 0; i < plan().slaves.size(); ++i) {
      const model::Slave& slave = plan().slaves[i];
      std::string detail = slave.line   ? slave.line->value
                           : slave.host ? slave.host->value
                                        : std::string("slave");
      if (slave.unit) detail += fmt::format(", unit {}", slave.unit->value);
      if (slave.map_file) detail += ", " + slave.map_file->value;
      add_text(slave.name, std::move(detail), ProposalKind::name);
    }
    for (const model::AlikeSlaves& group : plan().alike) {
      add_text(group.name, fmt::format("{} slaves that are alike", group.members.size()),
               ProposalKind::name);
    }
  }

  void points_of(std::size_t slave, const std::string& prefix) {
    const auto& map = plan().slaves[slave].map;
    if (!map) return;
    for (const model::Point& point : plan().maps[*map].points()) {
      std::string detail = to_text(point.type);
      if (!point.unit.empty()) detail += ", " + point.unit;
      if (point.min && point.max) {
        detail += fmt::format(", {} to {}", model::shortest_digits(*point.min),
                              model::shortest_digits(*point.max));
      }
      detail += ", " + model::range_text(point.address.area, model::extent_of(point));
      add_text(prefix + point.name, std::move(detail), ProposalKind::point, as_words(point.note));
    }
  }

  void places() {
    const std::string word(typed());
    if (const auto parts = parts_of_place(view_, word)) {
      if (parts->at_slave) points_of(parts->owner, parts->owner_name + ".");
      return;
    }
    for (const model::Slave& slave : plan().slaves) {
      add_text(slave.name + ".", "slave", ProposalKind::name);
    }
    for (const model::Controller& each : plan().controllers) {
      add_text(each.name + ".", "controller", ProposalKind::name);
    }
  }

  [[nodiscard]] std::optional<std::size_t> controller_of_row() const {
    if (cursor_.path.starts_with("controller.*") && !cursor_.names.empty()) {
      return view_.controller_named(cursor_.names.front());
    }
    if (cursor_.path == "supervision.heartbeats") {
      return view_.controller_named(row_word(cursor_.key == "seen" ? "to" : "from"));
    }
    if (const auto own = view_.controller_named(row_word("controller"))) return own;
    if (const auto slave = view_.slave_named(row_word("slave"))) {
      const auto& line = view_.plan().slave_line[model::SlaveIndex(*slave)];
      if (line && view_.plan().line_master[*line]) return view_.plan().line_master[*line]->value;
    }
    return plan().controllers.size() == 1 ? std::optional<std::size_t>(0) : std::nullopt;
  }

  // Words or bits that the row moves.
  [[nodiscard]] std::int64_t count_of_row() const {
    std::int64_t count = 0;
    const std::string digits = row_word("count");
    std::from_chars(digits.data(), digits.data() + digits.size(), count);
    if (count > 0) return std::min<std::int64_t>(count, 65536);
    const auto slave = view_.slave_named(row_word("slave"));
    if (!slave || !plan().slaves[*slave].map) return 1;
    const model::Point* const point = plan().maps[*plan().slaves[*slave].map].find(row_word("at"));
    return point == nullptr ? 1 : std::max<std::int64_t>(1, registers_of(point->type));
  }

  void free_memory() {
    const auto owner = controller_of_row();
    if (!owner) return;
    const model::ControllerIndex index(*owner);
    const auto uses = model::memory_uses(view_.plan());
    model::FreeMemory free(view_.plan(), index, uses[index]);
    const bool block = cursor_.key == "into" || cursor_.key == "from" || cursor_.key == "to";
    const std::string function = row_word("fc");
    const bool of_bits =
        !block || function == "1" || function == "2" || function == "5" || function == "15";
    const std::int64_t count = block ? count_of_row() : 1;
    const model::Controller& own = plan().controllers[*owner];
    for (std::size_t area = 0; area < own.memory.size(); ++area) {
      const bool bits = own.memory[area].kind == model::MemoryKind::bit;
      const bool wanted = cursor_.key == "exception" || cursor_.key == "fingerprint"
                              ? !bits
                              : bits == of_bits || cursor_.path == "exchange.copies";
      if (!wanted) continue;
      // where each stretch that is long enough begins
      constexpr int most_stretches = 4;
      for (int i = 0; i < most_stretches; ++i) {
        const auto range = free.lowest(area, count);
        if (!range) break;
        add_text(view_.plan().layouts[index].name_of(area, range->number),
                 count > 1 ? fmt::format("free: {} {} to {}", count, bits ? "bits" : "words",
                                         view_.plan().layouts[index].name_of(
                                             area, range->number + count - 1))
                           : std::string("free"),
                 ProposalKind::memory);
        model::BitRange taken = range->bits;
        for (const model::BitRange& stretch : free.stretches(range->bits.store)) {
          if (model::overlap(stretch, taken)) taken = stretch;
        }
        free.take(taken);
      }
      if (cursor_.path == "exchange.transactions" &&
          (cursor_.key == "into" || cursor_.key == "from")) {
        add_text(own.memory[area].name, "the lowest free range, whichever it will be",
                 ProposalKind::memory);
      }
    }
    if (cursor_.key == "on") {
      for (const char* word : {"change", "start", "return"}) add_text(word, {}, ProposalKind::word);
    }
  }

  void file_names() {
    const std::string& own = view_.path_of(0);
    const std::string folder = own.substr(0, own.rfind('/') + 1);
    const std::string word(typed());
    const std::string below = word.substr(0, word.rfind('/') + 1);
    if (below.starts_with('/') || below.find("..") != std::string::npos) return;
    const bool toml = cursor_.key == "model";
    std::vector<std::string> folders{below};
    if (below.empty()) folders.insert(folders.end(), {"maps/", "tags/", "models/"});
    for (const std::string& each : folders) {
      for (const std::string& name : view_.reading().task.files.names(folder + each)) {
        const bool fits = toml ? name.ends_with(".toml")
                               : name.ends_with(".csv") || name.ends_with(".xlsx") ||
                                     name.ends_with(".ods") || name.ends_with(".st");
        const std::string path = fmt::format("{}{}", each, name);
        if (fits && fmt::format("{}{}", folder, path) != own) {
          add_text(path, "file", ProposalKind::name);
        }
      }
    }
  }

  void subjects() {
    const std::string rule = row_word("rule");
    std::set<std::string> told;
    for (const model::Finding& f : view_.reading().findings) {
      if (!rule.empty() && to_string(f.rule) != rule) continue;
      const auto written = plan().written_as.find(f.subject);
      const std::string name =
          to_text(written == plan().written_as.end() ? f.subject : written->second);
      if (told.insert(name).second) {
        add_text(name, std::string(to_string(f.rule)), ProposalKind::name, as_words(f.message));
      }
    }
  }

  void functions() {
    if (cursor_.in_quotes) return;
    const auto slave = view_.slave_named(row_word("slave"));
    const auto known =
        slave ? view_.plan().exchange.slaves[model::SlaveIndex(*slave)].accepts.functions
              : std::nullopt;
    for (const model::FunctionTraits& each : model::all_functions()) {
      const int number = number_of(each.code);
      if (known && std::find(known->begin(), known->end(), number) == known->end()) continue;
      add({std::to_string(number),
           std::string(each.name),
           {},
           std::to_string(number),
           false,
           ProposalKind::number});
    }
  }

  void free_units() {
    if (cursor_.in_quotes) return;
    std::set<std::int64_t> taken;
    for (const model::Slave& slave : plan().slaves) {
      const bool own = !cursor_.names.empty() && slave.name == cursor_.names.front();
      if (slave.line && slave.line->value == row_word("line") && slave.unit && !own) {
        taken.insert(slave.unit->value);
      }
    }
    constexpr std::size_t most = 5;
    for (std::int64_t unit = 1; unit <= 247 && out_.list.size() < most; ++unit) {
      if (taken.contains(unit)) continue;
      add({std::to_string(unit),
           "free on this line",
           {},
           std::to_string(unit),
           false,
           ProposalKind::number});
    }
  }

  // The phase at which the row's transaction waits least for the others of its line.
  void free_phases() {
    const auto& timing = view_.reading().timing;
    const std::string name = row_word("name");
    if (!timing || name.empty()) return;
    for (std::size_t q = 0; q < timing->model.queues.size(); ++q) {
      const auto& jobs = timing->model.queues[q].jobs;
      for (std::size_t j = 0; j < jobs.size(); ++j) {
        if (view_.plan().transaction_name(jobs[j].transaction) != name) continue;
        if (jobs[j].kind != model::TriggerKind::cyclic || jobs.size() > timing::most_phased_jobs) {
          return;
        }
        const model::Controller& controller =
            plan().controllers[*view_.plan().transactions[jobs[j].transaction].controller];
        const auto placed =
            timing::place_jobs(timing->model, q, {j}, timing::phase_step(controller));
        if (placed.phases.empty()) return;
        add_text(model::to_text(placed.phases.front()), "the least waiting on this line",
                 ProposalKind::number);
        return;
      }
    }
  }

  const PlanView& view_;
  std::string_view text_;
  PlanCursor cursor_;
  const KeyHelp& help_;
  Proposals out_;
};

}  // namespace

Proposals proposals_at(const PlanView& view, std::string_view text, TableKind kind, bool is_plan,
                       std::size_t byte, const KeyHelp& help) {
  byte = std::min(byte, text.size());
  if (!is_plan) {
    return kind == TableKind::none ? Proposals{{byte, byte}, {}}
                                   : internal::proposals_in_table(view, text, kind, byte);
  }
  auto cursor = internal::plan_cursor(text, byte);
  if (!cursor) return {{byte, byte}, {}};
  return Proposer(view, text, std::move(*cursor), help).run();
}

}  // namespace greymet::editor
