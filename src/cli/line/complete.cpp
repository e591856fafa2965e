#include "complete.h"

#include <algorithm>
#include <optional>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "checks/symptoms.h"
#include "cli/word_book.h"
#include "files/file_source.h"
#include "files/plan_loader.h"
#include "model/register_map.h"

namespace greymet::cli {

namespace {

using Names = std::vector<std::string>;

// "TEXT:{text,json}" as text, json.
Names choices_of(const CLI::Option& option) {
  const std::string type = option.get_type_name();
  const std::size_t begin = type.find('{');
  const std::size_t end = type.find('}', begin);
  Names out;
  if (begin == std::string::npos || end == std::string::npos) return out;
  for (std::size_t from = begin + 1; from < end;) {
    const std::size_t comma = std::min(type.find(',', from), end);
    out.push_back(type.substr(from, comma - from));
    from = comma + 1;
  }
  return out;
}

const CLI::Option* option_named(const CLI::App& command, const std::string& word) {
  for (const CLI::Option* option : command.get_options()) {
    for (const std::string& name : option->get_lnames()) {
      if (word == "--" + name) return option;
    }
    for (const std::string& name : option->get_snames()) {
      if (word == "-" + name) return option;
    }
  }
  return nullptr;
}

// Names of one plan, by what they are.
class PlanNames {
 public:
  explicit PlanNames(const std::string& path)
      : loaded_(files::load_plan(path, files::disk_files())) {}

  [[nodiscard]] Names controllers() const { return all(loaded_.plan.plan.controllers); }
  [[nodiscard]] Names slaves() const { return all(loaded_.plan.plan.slaves); }
  [[nodiscard]] Names lines() const { return all(loaded_.plan.plan.lines); }
  [[nodiscard]] Names transactions() const { return all(loaded_.plan.plan.transactions); }
  // "moisture.grain_temp"
  [[nodiscard]] Names points() const {
    constexpr std::size_t most = 5000;
    Names out;
    const auto& slaves = loaded_.plan.plan.slaves;
    for (std::size_t s = 0; s < slaves.size(); ++s) {
      const model::RegisterMap* map = loaded_.plan.map_of({false, s, 0});
      if (map == nullptr) continue;
      for (const model::Point& point : map->points()) {
        if (out.size() < most) out.push_back(slaves[s].name + "." + point.name);
      }
    }
    return out;
  }

 private:
  template <class List>
  static Names all(const List& list) {
    Names out;
    for (const auto& each : list) out.push_back(each.name);
    return out;
  }
  files::LoadedPlan loaded_;
};

Names joined(Names a, const Names& b) {
  a.insert(a.end(), b.begin(), b.end());
  return a;
}

Names rules() {
  Names out;
  for (const checks::RuleFamily& family : checks::families()) out.emplace_back(1, family.letter);
  for (const checks::RuleEntry& e : checks::catalogue()) out.emplace_back(to_string(e.code));
  return out;
}

Names explained() {
  Names out = rules();
  for (const checks::Symptom& each : checks::symptoms()) out.emplace_back(each.name);
  out.insert(out.end(), {"symptoms", "words"});
  return joined(std::move(out), word_book().words());
}

// Names that stand behind the plan, as the command takes them.
Names positional(const std::string& command, const PlanNames& plan) {
  if (command == "timing") return plan.lines();
  if (command == "memory" || command == "points") return joined(plan.controllers(), plan.slaves());
  if (command == "probe") return joined(plan.slaves(), plan.controllers());
  if (command == "frame") return plan.transactions();
  if (command == "hand" || command == "trend") return plan.points();
  return {};
}

Names of_option(const std::string& option, const std::string& command, const PlanNames& plan) {
  if (option == "--controller" || option == "--tags") return plan.controllers();
  if (option == "--slave" && command != "new") return plan.slaves();
  if (option == "--line" && command != "new") return plan.lines();
  if (option == "--why") return plan.transactions();
  return {};
}

bool is_plan(const std::string& word) {
  return word.ends_with(".toml");
}

// The last of a list with commas: "F01,F" as "F01," and "F".
std::string before_last(const std::string& word) {
  const std::size_t comma = word.rfind(',');
  return comma == std::string::npos ? std::string() : word.substr(0, comma + 1);
}

Names beginning_with(const Names& names, const std::string& prefix, const std::string& before) {
  Names out;
  for (const std::string& name : names) {
    if ((before + name).starts_with(prefix)) out.push_back(before + name);
  }
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

}  // namespace

std::vector<std::string> completions(const CLI::App& app, const std::vector<std::string>& words) {
  if (words.empty()) return {};
  const std::string& word = words.back();
  const CLI::App* command = nullptr;
  Names commands{"--help", "--version"};
  for (const CLI::App* each : app.get_subcommands({})) {
    if (!each->get_group().empty()) commands.push_back(each->get_name());
    if (words.size() > 1 && each->get_name() == words.front()) command = each;
  }
  if (words.size() == 1) return beginning_with(commands, word, {});
  if (command == nullptr) return {};
  const std::string& name = words.front();
  const std::string& previous = words[words.size() - 2];
  const CLI::Option* option = option_named(*command, previous);
  const bool takes_value =
      option != nullptr && option->get_items_expected_max() > 0 && !option->get_type_name().empty();
  if (takes_value) {
    if (const Names choices = choices_of(*option); !choices.empty()) {
      return beginning_with(choices, word, {});
    }
    if (previous == "--rules") return beginning_with(rules(), word, before_last(word));
  } else if (word.starts_with('-')) {
    Names options;
    for (const CLI::Option* each : command->get_options()) {
      for (const std::string& lname : each->get_lnames()) options.push_back("--" + lname);
      for (const std::string& sname : each->get_snames()) options.push_back("-" + sname);
    }
    return beginning_with(options, word, {});
  }
  if (name == "explain") return beginning_with(explained(), word, {});
  const auto plan = std::find_if(words.begin() + 1, words.end() - 1, is_plan);
  // a plan that has been named behind the option counts as well, so that options may come first
  if (plan == words.end() - 1) return {};
  const PlanNames names(*plan);
  return beginning_with(takes_value ? of_option(previous, name, names) : positional(name, names),
                        word, {});
}

}  // namespace greymet::cli
