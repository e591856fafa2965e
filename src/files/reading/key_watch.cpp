#include "key_watch.h"

#include <algorithm>

namespace greymet::files::internal {

namespace {

thread_local KeyWatch* watching = nullptr;

}  // namespace

KeyWatch::KeyWatch(std::map<std::uint32_t, std::string> names) : names_(std::move(names)) {
  watching = this;
}

KeyWatch::~KeyWatch() {
  watching = nullptr;
}

KeyWatch* KeyWatch::current() {
  return watching;
}

PlanTable* KeyWatch::table_of(const model::Range& table) {
  const auto name = names_.find(table.line);
  if (name == names_.end()) return nullptr;
  const auto at = std::find_if(tables_.begin(), tables_.end(),
                               [&](const PlanTable& each) { return each.path == name->second; });
  if (at != tables_.end()) return &*at;
  tables_.push_back({name->second, {}});
  return &tables_.back();
}

PlanKey& KeyWatch::key_of(PlanTable& table, std::string_view key) {
  const auto at = std::find_if(table.keys.begin(), table.keys.end(),
                               [&](const PlanKey& each) { return each.name == key; });
  if (at != table.keys.end()) return *at;
  table.keys.push_back({std::string(key), {}, false});
  return table.keys.back();
}

void KeyWatch::begun(const model::Range& table) {
  if (PlanTable* const own = table_of(table)) ++readers_[own->path];
}

void KeyWatch::asked(const model::Range& table, std::string_view key, KeyForm form) {
  PlanTable* const own = table_of(table);
  if (own == nullptr) return;
  auto& forms = key_of(*own, key).forms;
  if (std::find(forms.begin(), forms.end(), form) == forms.end()) forms.push_back(std::move(form));
}

void KeyWatch::required(const model::Range& table, std::string_view key) {
  PlanTable* const own = table_of(table);
  if (own == nullptr) return;
  static_cast<void>(key_of(*own, key));
  ++required_[{own->path, std::string(key)}];
}

const Value* KeyWatch::opened(const model::Range& table, std::string_view key) {
  const auto name = names_.find(table.line);
  if (name == names_.end()) return nullptr;
  std::string path = name->second;
  if (!path.empty()) path += '.';
  path += key;
  const auto [at, is_new] = opened_.try_emplace(path);
  if (is_new) {
    at->second.place = {0, next_line_++, 1, 0, 0};
    names_[at->second.place.line] = path;
  }
  return &at->second;
}

std::vector<PlanTable> KeyWatch::take() {
  for (PlanTable& table : tables_) {
    for (PlanKey& key : table.keys) {
      const auto at = required_.find({table.path, key.name});
      key.required = at != required_.end() && at->second >= readers_[table.path];
    }
  }
  return std::move(tables_);
}

}  // namespace greymet::files::internal
