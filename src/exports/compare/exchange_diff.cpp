#include "exports/exchange_diff.h"

#include <algorithm>
#include <map>
#include <unordered_map>
#include <unordered_set>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/json_text.h"
#include "model/duration_text.h"

namespace greymet::exports {

using SortedJson = nlohmann::json;

namespace {

// A list of the exchange: its key, what one of it is called, and the key that names it.
struct List {
  const char* key;
  const char* kind;
};
constexpr List lists[] = {{"controllers", "controller"},   {"lines", "line"},
                          {"gateways", "gateway"},         {"slaves", "slave"},
                          {"transactions", "transaction"}, {"copies", "copy"},
                          {"heartbeats", "heartbeat"}};

std::string text_of(const std::string& key, const SortedJson& value) {
  if (value.is_null()) return "none";
  if (value.is_boolean()) return value.get<bool>() ? "yes" : "no";
  if (key.ends_with("_ns") && value.is_number_integer()) {
    return model::to_text(model::Duration(value.get<std::int64_t>()));
  }
  if (value.is_string()) return value.get<std::string>();
  return value.dump(-1, ' ', false, SortedJson::error_handler_t::replace);
}

std::string member(const SortedJson& object, const char* key) {
  const auto found = object.is_object() ? object.find(key) : object.end();
  if (!object.is_object() || found == object.end() || !found->is_string()) return {};
  return found->get<std::string>();
}

// What tells one of a list from the others: its name, or all of it.
std::string name_of(const SortedJson& item) {
  for (const char* key : {"name", "tag"}) {
    const std::string name = member(item, key);
    if (name.empty()) continue;
    const std::string controller = key[0] == 't' ? member(item, "controller") : std::string();
    return controller.empty() ? name : fmt::format("{}.{}", controller, name);
  }
  const std::string from = member(item, "from");
  if (!from.empty())
    return fmt::format("{} {} to {}", member(item, "controller"), from, member(item, "to"));
  return item.dump(-1, ' ', false, SortedJson::error_handler_t::replace);
}

// The items of a list by name, in its order; a second one of a name gets a number.
class NamedItems {
 public:
  explicit NamedItems(const SortedJson& list) {
    if (!list.is_array()) return;
    std::unordered_map<std::string, int> seen;
    for (const SortedJson& item : list) {
      const std::string own = name_of(item);
      int& further = seen[own];
      std::string name = own;
      while (!by_name_.emplace(name, &item).second) {
        name = fmt::format("{} ({})", own, ++further + 1);
      }
      items_.emplace_back(std::move(name), &item);
    }
  }
  // Null for none.
  [[nodiscard]] const SortedJson* find(const std::string& name) const {
    const auto at = by_name_.find(name);
    return at == by_name_.end() ? nullptr : at->second;
  }
  [[nodiscard]] auto begin() const { return items_.begin(); }
  [[nodiscard]] auto end() const { return items_.end(); }

 private:
  std::vector<std::pair<std::string, const SortedJson*>> items_;
  std::unordered_map<std::string, const SortedJson*> by_name_;
};

class Differ {
 public:
  std::vector<Change> take() { return std::move(changes_); }

  void compare_lists(const SortedJson& old, const SortedJson& now, const std::string& kind) {
    const NamedItems before(old);
    const NamedItems after(now);
    // by what they are but for their name, the first one last: the same under another name
    std::unordered_map<std::string, std::vector<std::string>> gone;
    for (auto item = before.end(); item != before.begin();) {
      --item;
      if (after.find(item->first) == nullptr)
        gone[without_name(*item->second)].push_back(item->first);
    }
    std::unordered_set<std::string> renamed;
    for (const auto& [name, item] : after) {
      if (const SortedJson* same = before.find(name)) {
        compare(*same, *item, kind, name, "");
        continue;
      }
      const auto was = gone.empty() ? gone.end() : gone.find(without_name(*item));
      if (was == gone.end() || was->second.empty()) {
        changes_.push_back({kind, name, "added", "", summary(*item)});
        continue;
      }
      changes_.push_back({kind, was->second.back(), "name", was->second.back(), name});
      renamed.insert(was->second.back());
      was->second.pop_back();
    }
    for (const auto& [name, item] : before) {
      if (after.find(name) == nullptr && !renamed.contains(name)) {
        changes_.push_back({kind, name, "removed", summary(*item), ""});
      }
    }
    compare_order(before, after, kind);
  }

  void compare(const SortedJson& old, const SortedJson& now, const std::string& kind,
               const std::string& subject, const std::string& path) {
    if (old == now) return;
    if (old.is_object() && now.is_object()) {
      std::map<std::string, bool> keys;
      for (const auto& [key, value] : old.items()) keys[key] = true;
      for (const auto& [key, value] : now.items()) keys[key] = true;
      for (const auto& [key, unused] : keys) {
        const SortedJson none;
        const SortedJson& a = old.contains(key) ? old[key] : none;
        const SortedJson& b = now.contains(key) ? now[key] : none;
        // "no key" and "null" are different documents, and read alike
        if (a == b && old.contains(key) == now.contains(key)) continue;
        compare(a, b, kind, subject, path.empty() ? key : fmt::format("{}.{}", path, key));
        if (a == b)
          changes_.push_back({kind, subject, key, old.contains(key) ? "none" : "not said",
                              now.contains(key) ? "none" : "not said"});
      }
      return;
    }
    const bool items = old.is_array() && now.is_array() && both_named(old, now);
    if (items) {
      compare_items(old, now, kind, subject, path);
      return;
    }
    const std::string key = path.substr(path.rfind('.') + 1);
    std::string what = path;
    if (what.ends_with("_ns")) what.resize(what.size() - 3);
    std::string a = text_of(key, old);
    std::string b = text_of(key, now);
    if (a == b) {
      a = old.dump(-1, ' ', false, SortedJson::error_handler_t::replace);
      b = now.dump(-1, ' ', false, SortedJson::error_handler_t::replace);
    }
    changes_.push_back({kind, subject, what, a, b});
  }

 private:
  static std::string without_name(SortedJson item) {
    if (item.is_object()) item.erase("name");
    return item.dump(-1, ' ', false, SortedJson::error_handler_t::replace);
  }

  static bool both_named(const SortedJson& a, const SortedJson& b) {
    const auto is_named = [](const SortedJson& item) { return !member(item, "name").empty(); };
    return std::all_of(a.begin(), a.end(), is_named) && std::all_of(b.begin(), b.end(), is_named);
  }

  // Points of a block, areas of memory: inside of one thing.
  void compare_items(const SortedJson& old, const SortedJson& now, const std::string& kind,
                     const std::string& subject, const std::string& path) {
    const NamedItems before(old);
    const NamedItems after(now);
    const std::string what = path.ends_with("points") ? path.substr(0, path.size() - 1) : path;
    for (const auto& [name, item] : after) {
      const SortedJson* same = before.find(name);
      if (same != nullptr) {
        compare(*same, *item, kind, subject, fmt::format("{} {}", what, name));
      } else {
        changes_.push_back(
            {kind, subject, fmt::format("{} {}", what, name), "none", summary(*item)});
      }
    }
    for (const auto& [name, item] : before) {
      if (after.find(name) == nullptr) {
        changes_.push_back(
            {kind, subject, fmt::format("{} {}", what, name), summary(*item), "none"});
      }
    }
    compare_order(before, after, kind, subject);
  }

  // Those that both have, in another order: from the first to the last that moved.
  void compare_order(const NamedItems& before, const NamedItems& after, const std::string& kind,
                     const std::string& subject = {}) {
    std::vector<std::string> old;
    std::vector<std::string> now;
    for (const auto& item : before) {
      if (after.find(item.first) != nullptr) old.push_back(item.first);
    }
    for (const auto& item : after) {
      if (before.find(item.first) != nullptr) now.push_back(item.first);
    }
    if (old == now) return;
    std::size_t first = 0;
    while (old[first] == now[first]) ++first;
    std::size_t end = old.size();
    while (old[end - 1] == now[end - 1]) --end;
    const auto part = [&](const std::vector<std::string>& names) {
      return fmt::format("{}", fmt::join(names.begin() + static_cast<std::ptrdiff_t>(first),
                                         names.begin() + static_cast<std::ptrdiff_t>(end), ", "));
    };
    changes_.push_back({subject.empty() ? "exchange" : kind, subject,
                        subject.empty() ? "order of each " + kind : "order", part(old), part(now)});
  }

  // One line about something that came or went.
  static std::string summary(const SortedJson& item) {
    std::string text;
    for (const char* key :
         {"slave", "line", "host", "function", "period_ns", "type", "memory", "from", "to"}) {
      if (!item.is_object() || !item.contains(key) || item[key].is_null() ||
          item[key].is_structured())
        continue;
      std::string name = key;
      if (name.ends_with("_ns")) name.resize(name.size() - 3);
      text += fmt::format("{}{} {}", text.empty() ? "" : ", ", name, text_of(key, item[key]));
    }
    return text.empty() ? "yes" : text;
  }

  std::vector<Change> changes_;
};

tl::expected<SortedJson, std::string> document_from(std::string_view text) {
  SortedJson document = SortedJson::parse(text, nullptr, false);
  if (document.is_discarded() || !document.is_object() || !document.contains("exchange") ||
      !document["exchange"].is_object()) {
    return tl::unexpected(std::string("is no exchange.json"));
  }
  return document;
}

}  // namespace

tl::expected<std::vector<Change>, std::string> exchange_changes(std::string_view old_document,
                                                                std::string_view new_document) {
  const auto old = document_from(old_document);
  if (!old) return tl::unexpected(old.error());
  const auto now = document_from(new_document);
  if (!now) return tl::unexpected(now.error());
  Differ differ;
  const SortedJson none;
  const auto get = [&](const SortedJson& object, const char* key) -> const SortedJson& {
    const auto found = object.find(key);
    return found == object.end() ? none : *found;
  };
  for (const char* key : {"title", "revision"}) {
    differ.compare(get(*old, key), get(*now, key), "plan", "", key);
  }
  SortedJson rest_old = get(*old, "exchange");
  SortedJson rest_now = get(*now, "exchange");
  for (const List& list : lists) {
    differ.compare_lists(get(rest_old, list.key), get(rest_now, list.key), list.kind);
    rest_old.erase(list.key);
    rest_now.erase(list.key);
  }
  differ.compare(rest_old, rest_now, "exchange", "", "");
  differ.compare_lists(get(*old, "tags"), get(*now, "tags"), "tag");
  return differ.take();
}

std::string to_text(const Change& c) {
  const std::string subject = c.subject.empty() ? c.kind : fmt::format("{} {}", c.kind, c.subject);
  if (c.what == "added") return fmt::format("{}: added ({})", subject, c.now);
  if (c.what == "removed") return fmt::format("{}: removed ({})", subject, c.old);
  return fmt::format("{}: {} {} -> {}", subject, c.what, c.old, c.now);
}

}  // namespace greymet::exports
