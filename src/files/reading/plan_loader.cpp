#include "files/plan_loader.h"

#include <malloc.h>

#include <algorithm>
#include <filesystem>
#include <map>

#include <fmt/format.h>

#include "files/csv_reader.h"
#include "files/declarations.h"
#include "files/map_reader.h"
#include "files/plan_decoder.h"
#include "files/tag_reader.h"
#include "files/tag_sheet.h"
#include "files/toml_reader.h"
#include "model/ascii_text.h"
#include "model/text_slips.h"
#include "model/unfold_alike.h"
#include "model/utf8_text.h"
#include "tag_files.h"
#include "transaction_columns.h"
#include "transaction_sheet.h"

namespace greymet::files {

using model::Plan;
using model::Range;
using model::RuleCode;

namespace {

constexpr std::size_t longest_path = 4096;
constexpr std::size_t most_described = 1'000'000;

std::string folder_of(const std::string& path) {
  const std::size_t slash = path.rfind('/');
  return slash == std::string::npos ? std::string() : path.substr(0, slash + 1);
}

// True if a name leads out of the folder that its plan lies in.
bool leads_out(const std::string& name) {
  const std::filesystem::path path = std::filesystem::path(name).lexically_normal();
  return path.is_absolute() || (!path.empty() && *path.begin() == "..");
}

// The tree of a large plan leaves holes all over the heap, of which nothing else would make use.
void give_back_memory() {
#ifdef __GLIBC__
  ::malloc_trim(0);
#endif
}

class Loader {
 public:
  Loader(const std::string& path, const FileSource& files, TomlMemory* memory)
      : path_(path), folder_(folder_of(path)), files_(files), memory_(memory) {}

  LoadedPlan load() {
    Plan plan = read_plan();
    for (model::Controller& controller : plan.controllers) {
      if (controller.model_file) read_model(controller);
      if (controller.tags_files) read_tags_of(controller);
    }
    for (model::Slave& slave : plan.slaves) {
      if (slave.map_file) read_map_of(slave, plan);
    }
    for (const SourceFile& source : out_.sources) plan.files.push_back(source.name);
    plan = model::unfold_alike(std::move(plan), out_.findings);
    out_.plan = model::resolve(std::move(plan), out_.findings);
    return std::move(out_);
  }

 private:
  void report(RuleCode rule, Range place, model::Subject subject, std::string message,
              std::string remedy) {
    out_.findings.push_back({.rule = rule,
                             .severity = model::Severity::error,
                             .place = place,
                             .subject = std::move(subject),
                             .message = std::move(message),
                             .remedy = std::move(remedy)});
  }

  Plan read_plan() {
    auto content = files_(path_, largest_plan);
    out_.sources.push_back({path_, content ? std::move(*content) : std::string()});
    if (!content) {
      out_.unreadable = true;
      report(RuleCode::P01, {}, {}, fmt::format("cannot be read: {}", content.error().message),
             "name the plan file, e.g. greymet check plan.toml");
      return {};
    }
    const std::string& text = out_.sources.front().text;
    auto root = memory_ == nullptr ? read_toml(text, 0, out_.findings)
                                   : memory_->read(text, 0, out_.findings);
    if (!root) {
      out_.unreadable = true;
      return {};
    }
    for (const model::Finding& f : out_.findings) {
      out_.unreadable = out_.unreadable || f.rule == RuleCode::P01;
    }
    if (root->entries.empty() && out_.findings.empty()) {
      report(RuleCode::P06, {}, {}, "is empty: it declares nothing",
             "begin with [controller.<name>], [line.<name>], [slave.<name>] and [exchange]");
    }
    model::Declared<std::string> table_file;
    Plan plan = decode_plan(std::move(*root), table_file, out_.findings);
    root.reset();
    // what is read again and again needs it again
    if (memory_ == nullptr) give_back_memory();
    if (table_file) read_transaction_table(*table_file, plan);
    return plan;
  }

  // The one sheet of a workbook that is wanted, as CSV.
  using OfWorkbook = tl::expected<std::string, FileError> (*)(const std::string&);

  // Opens a file the plan names; P07 and nothing if that fails.
  std::optional<std::uint32_t> open(const model::Located<std::string>& name,
                                    const model::Subject& subject, std::size_t limit,
                                    OfWorkbook of_workbook = tag_table_of_workbook) {
    const std::string path = name.value.starts_with("/") ? name.value : folder_ + name.value;
    if (path == path_) {
      report(RuleCode::P07, name.place, subject, fmt::format("'{}' is the plan itself", name.value),
             "name the CSV or model file that belongs here");
      return std::nullopt;
    }
    const auto known = index_of_.find(path);
    if (known != index_of_.end()) return known->second;
    auto content = name.value.size() > longest_path
                       ? FileContent(tl::unexpected(FileError{"the name is too long"}))
                       : files_(path, limit);
    if (!content) {
      out_.unreadable = true;
      const auto meant = name.value.size() > longest_path ? std::nullopt : meant_file(name.value);
      report(RuleCode::P07, name.place, subject,
             fmt::format("'{}' cannot be read: {}", name.value.substr(0, 200),
                         content.error().message),
             meant ? "" : "paths are relative to the plan");
      if (meant) {
        add_fix(out_.findings.back(),
                model::write_instead(name.place, fmt::format("\"{}\"", *meant), true));
      }
      return std::nullopt;
    }
    const bool workbook = looks_like_workbook(*content);
    std::string stored;
    if (workbook) {
      auto table = of_workbook(*content);
      if (!table) {
        report(
            RuleCode::P07, name.place, subject,
            fmt::format("'{}' is a workbook: {}", name.value.substr(0, 200), table.error().message),
            "a workbook may hold a list of tags or a table of transactions; of all else save the "
            "sheet as CSV");
        return std::nullopt;
      }
      std::swap(*content, *table);
      stored = std::move(*table);
    }
    const std::size_t bad = model::first_bad_byte(*content);
    if (bad != std::string::npos) {
      const auto line = 1 + std::count(content->begin(),
                                       content->begin() + static_cast<std::ptrdiff_t>(bad), '\n');
      report(
          RuleCode::P07, name.place, subject,
          fmt::format("'{}' is not UTF-8 text: byte 0x{:02X} in line {}", name.value.substr(0, 200),
                      static_cast<unsigned char>((*content)[bad]), line),
          "save it as UTF-8");
      return std::nullopt;
    }
    const auto index = static_cast<std::uint32_t>(out_.sources.size());
    const bool inside =
        !leads_out(name.value) && (!files_.is_within || files_.is_within(folder_, path));
    out_.sources.push_back({path, std::move(*content), inside});
    out_.sources.back().is_workbook = workbook;
    out_.sources.back().stored = std::move(stored);
    index_of_[path] = index;
    return index;
  }

  // The one file that the name means but for its case, backslashes or what office programs make of
  // a text.
  [[nodiscard]] std::optional<std::string> meant_file(const std::string& name) {
    constexpr int most_looked_for = 100;  // each reads folders
    if (++looked_for_ > most_looked_for || leads_out(name)) return std::nullopt;
    std::string wanted = model::without_typography(name).value_or(name);
    std::replace(wanted.begin(), wanted.end(), '\\', '/');
    std::string found;
    for (std::size_t at = 0; at <= wanted.size();) {
      const std::size_t slash = std::min(wanted.find('/', at), wanted.size());
      const std::string part = wanted.substr(at, slash - at);
      std::optional<std::string> match;
      for (const std::string& there : files_.names(folder_ + found)) {
        if (there == part) match = there;
        if (there == part) break;
        if (!model::equal_in_any_case(there, part)) continue;
        if (match) return std::nullopt;
        match = there;
      }
      if (!match) return std::nullopt;
      found += *match;
      if (slash < wanted.size()) found += '/';
      at = slash + 1;
    }
    if (found == name || !files_(folder_ + found, largest_plan)) return std::nullopt;
    return found;
  }

  // Nothing of a file from elsewhere is shown unless it is what the plan says it is.
  void report_foreign(const model::Located<std::string>& name, const model::Subject& subject,
                      std::string_view what) {
    out_.unreadable = true;
    report(RuleCode::P07, name.place, subject,
           fmt::format("'{}' lies outside the plan's folder and is not {}",
                       name.value.substr(0, 200), what),
           "name the right file, or move it below the plan to see what is wrong with it");
  }

  // Of files within the plan's folder it is not asked: they have findings of their own.
  [[nodiscard]] bool looks_like(std::uint32_t file, std::initializer_list<std::string_view> heads) {
    const SourceFile& source = out_.sources[file];
    if (source.may_be_quoted || source.text.empty()) return true;
    const auto first_line = std::string_view(source.text).substr(0, source.text.find('\n'));
    const auto table = read_csv(std::string(first_line), file);
    return table && std::all_of(heads.begin(), heads.end(), [&](std::string_view head) {
             return std::any_of(table->header.begin(), table->header.end(),
                                [&](const Cell& cell) { return cell.text == head; });
           });
  }

  void read_model(model::Controller& controller) {
    const model::Subject subject = subject_of(controller);
    const auto file = open(*controller.model_file, subject, largest_map);
    if (!file) return;
    const auto known = models_.find(*file);
    if (known != models_.end()) {
      controller.model = known->second;
      return;
    }
    model::Findings found;
    const auto root = read_toml(out_.sources[*file].text, *file, found);
    if (!found.empty() && !out_.sources[*file].may_be_quoted) {
      return report_foreign(*controller.model_file, subject, "TOML");
    }
    out_.findings.insert(out_.findings.end(), found.begin(), found.end());
    if (!root) {
      out_.unreadable = true;
      return;
    }
    controller.model = decode_model(controller.model_file->value, *root, out_.findings);
    models_[*file] = *controller.model;
  }

  void read_tags_of(model::Controller& controller) {
    for (const model::Located<std::string>& name : controller.tags_files->value) {
      auto table = read_tag_file(controller, name);
      if (!table) continue;
      table->place = name.place;
      if (!controller.tags) {
        controller.tags = std::move(*table);
      } else {
        internal::add_tags(*controller.tags, std::move(*table), subject_of(controller),
                           out_.findings);
      }
    }
  }

  std::optional<model::TagTable> read_tag_file(const model::Controller& controller,
                                               const model::Located<std::string>& name) {
    const model::Subject subject = subject_of(controller);
    const auto file = open(name, subject, largest_map);
    if (!file) return std::nullopt;
    SourceFile& source = out_.sources[*file];
    const bool project = looks_like_project(source.text);
    if (project || looks_like_declarations(source.text)) {
      source.is_project = project;
      source.is_program = true;
      std::vector<std::string> areas;
      for (const model::MemoryArea& area : controller.memory) areas.push_back(area.name);
      const auto read = project ? read_project : read_declarations;
      return read(source.text, name.value, *file, areas, subject, out_.findings);
    }
    source.is_table = true;
    if (!looks_like(*file, {"tag", "address", "type"})) {
      report_foreign(name, subject, "a table of tags");
      return std::nullopt;
    }
    return read_tags(source.text, name.value, *file, subject, out_.findings);
  }

  static model::RegisterMap unread_map(const model::Slave& slave) {
    return {slave.map_file->value, {}, {}, {{}, {}, true}};
  }

  void read_map_of(model::Slave& slave, Plan& plan) {
    const model::Subject subject = subject_of(slave);
    const auto file = open(*slave.map_file, subject, largest_map);
    if (!file) {
      // one that could not be read is not the same as none
      slave.map = plan.maps.size();
      plan.maps.push_back(unread_map(slave));
      return;
    }
    out_.sources[*file].is_table = true;
    const auto numbering = value_or(slave.numbering, model::Numbering::from_0);
    const auto [at, is_new] = maps_.try_emplace({*file, numbering}, plan.maps.size());
    slave.map = at->second;
    if (!is_new) return count_points(slave, plan);
    if (out_.sources[*file].text.empty()) {
      report(RuleCode::P07, slave.map_file->place, subject,
             fmt::format("'{}' is empty", slave.map_file->value),
             "a map begins with a header row: point,area,address,type");
    }
    if (!looks_like(*file, {"point", "area", "address", "type"})) {
      report_foreign(*slave.map_file, subject, "a register map");
      plan.maps.push_back(unread_map(slave));
      return;
    }
    plan.maps.push_back(out_.sources[*file].text.empty()
                            ? unread_map(slave)
                            : read_map(out_.sources[*file].text, slave.map_file->value, *file,
                                       numbering, subject, out_.findings));
    count_points(slave, plan);
  }

  // What is known of each point of each slave takes memory; maps are read once and shared.
  void count_points(const model::Slave& slave, const Plan& plan) {
    described_ += plan.maps[*slave.map].points().size();
    if (described_ <= most_described || too_many_said_) return;
    too_many_said_ = out_.unreadable = true;
    report(RuleCode::P07, slave.map_file->place, subject_of(slave),
           fmt::format("the maps of the slaves up to this one have {} points together, and at most "
                       "{} are read",
                       described_, most_described),
           "split the plan into several");
  }

  // Rows of [exchange] table come first in list order.
  void read_transaction_table(const model::Located<std::string>& name, Plan& plan) {
    const auto file = open(name, {model::SubjectKind::exchange}, largest_plan,
                           internal::transaction_table_of_workbook);
    if (!file) return;
    out_.sources[*file].is_table = true;
    if (!looks_like(*file, {"name", "slave", "fc"})) {
      return report_foreign(name, {model::SubjectKind::exchange}, "a table of transactions");
    }
    auto table = read_csv(out_.sources[*file].text, *file);
    if (!table) {
      report(RuleCode::P07, table.error().place, {model::SubjectKind::exchange},
             table.error().message, table.error().remedy);
      return;
    }
    mend_headings(table->header);
    std::vector<model::Transaction> rows;
    for (std::size_t i = 0; i < table->rows.size(); ++i) {
      const auto& row = table->rows[i];
      if (row.size() > table->header.size()) {
        report(RuleCode::P07, row.front().place, {model::SubjectKind::exchange},
               fmt::format("row {}: {} cells, the header has {}", i + 2, row.size(),
                           table->header.size()),
               "quote cells that hold the delimiter");
        continue;
      }
      rows.push_back(decode_transaction(row_value(table->header, row), i + 1, out_.findings));
    }
    rows.insert(rows.end(), std::make_move_iterator(plan.transactions.begin()),
                std::make_move_iterator(plan.transactions.end()));
    plan.transactions = std::move(rows);
  }

  // Headings as other tables have them are named once, with what to call them; rows are read as if
  // they were called so.
  void mend_headings(std::vector<Cell>& header) {
    for (Cell& cell : header) {
      if (const auto advice = internal::advice_on(cell.text); !advice.empty()) {
        report(
            RuleCode::P02, cell.place, {model::SubjectKind::exchange},
            fmt::format("column '{}' is no key of a transaction", model::quoted_start(cell.text)),
            std::string(advice));
        continue;
      }
      const auto key = internal::key_meant_by(cell.text);
      if (!key || *key == cell.text) continue;
      const bool taken = std::any_of(header.begin(), header.end(),
                                     [&](const Cell& other) { return other.text == *key; });
      if (taken) continue;
      report(RuleCode::P02, cell.place, {model::SubjectKind::exchange},
             fmt::format("column '{}' is called `{}` here", model::quoted_start(cell.text), *key),
             "");
      add_fix(out_.findings.back(), model::write_instead(cell.place, std::string(*key), true));
      cell.text = *key;
    }
  }

  // A row as a table; "read.at" is the key `at` of the table `read`.
  static Value row_value(const std::vector<Cell>& header, const std::vector<Cell>& row) {
    Value table;
    table.place = row.front().place;
    for (std::size_t i = 0; i < row.size(); ++i) {
      if (row[i].text.empty()) continue;
      const std::string& key = header[i].text;
      const std::size_t dot = key.find('.');
      Value& owner =
          dot == std::string::npos ? table : table.table_at(key.substr(0, dot), row[i].place);
      Value cell;
      cell.kind = ValueKind::cell;
      cell.place = row[i].place;
      cell.text = row[i].text;
      const Range key_place = header[i].place;
      owner.entries.push_back(
          {dot == std::string::npos ? key : key.substr(dot + 1), key_place, cell});
    }
    return table;
  }

  const std::string& path_;
  std::string folder_;
  const FileSource& files_;
  TomlMemory* memory_;
  LoadedPlan out_;
  int looked_for_ = 0;
  std::size_t described_ = 0;  // points of all slaves
  bool too_many_said_ = false;
  std::map<std::string, std::uint32_t> index_of_;
  std::map<std::uint32_t, model::ControllerModel> models_;
  std::map<std::pair<std::uint32_t, model::Numbering>, std::size_t> maps_;
};

}  // namespace

LoadedPlan load_plan(const std::string& path, const FileSource& files, TomlMemory* memory) {
  return Loader(path, files, memory).load();
}

}  // namespace greymet::files
