#include "files/plan_schema.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/json_text.h"
#include "files/plan_keys.h"
#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

constexpr const char* some_text = "\\S";  // not empty, nor blanks alone

// "rtu" as "[Rr][Tt][Uu]": words are read in any case of their letters.
std::string in_any_case(std::string_view word) {
  std::string pattern;
  for (const char c : word) {
    if (!model::is_letter(c)) {
      pattern += c;
      continue;
    }
    const std::string text(1, c);
    const std::string small = model::in_small_letters(text);
    const char capital = static_cast<char>(small[0] - 'a' + 'A');
    pattern += fmt::format("[{}{}]", capital, small);
  }
  return pattern;
}

Json number_schema(const char* type, const KeyForm& form) {
  Json json{{"type", type}};
  // what no double holds exactly is no limit that anybody meets
  constexpr double exact = 9'007'199'254'740'992.0;
  const auto limit = [&](const char* name, double value) {
    if (std::abs(value) > exact) return;
    if (value == std::floor(value)) {
      json[name] = static_cast<std::int64_t>(value);
    } else {
      json[name] = value;
    }
  };
  limit("minimum", form.least);
  limit("maximum", form.most);
  return json;
}

Json words_schema(const KeyForm& form) {
  std::string pattern;
  for (const std::string& word : form.words) {
    pattern += fmt::format("{}{}", pattern.empty() ? "" : "|", in_any_case(word));
  }
  Json any = Json::array();
  any.push_back({{"enum", form.words}});
  any.push_back({{"type", "string"}, {"pattern", fmt::format("^\\s*({})\\s*$", pattern)}});
  return {{"anyOf", std::move(any)}};
}

// One of them alone stands for a list of one.
Json list_schema(Json item) {
  Json any = Json::array();
  any.push_back(item);
  any.push_back({{"type", "array"}, {"items", std::move(item)}});
  return {{"anyOf", std::move(any)}};
}

class Writer {
 public:
  explicit Writer(const DescribeKey& describe) : describe_(describe) {}

  Json table(const std::string& path) const {
    const PlanTable* const own = plan_table(path);
    Json json{{"type", "object"}};
    if (own == nullptr) {
      // its keys are names
      const std::string named = path + ".*";
      json["additionalProperties"] = plan_table(named) != nullptr ? table(named) : Json(true);
      return json;
    }
    Json properties = Json::object();
    Json required = Json::array();
    for (const PlanKey& key : own->keys) {
      properties[key.name] = key_schema(path.empty() ? key.name : path + "." + key.name, key);
      std::string about = describe_(path, key.name);
      if (!about.empty()) properties[key.name]["description"] = std::move(about);
      if (key.required) required.push_back(key.name);
    }
    json["properties"] = std::move(properties);
    // a slave that is like another one states what differs
    if (!required.empty()) json["required"] = std::move(required);
    json["additionalProperties"] = false;
    return json;
  }

 private:
  [[nodiscard]] Json key_schema(const std::string& path, const PlanKey& key) const {
    std::vector<Json> forms;
    for (const KeyForm& form : key.forms) {
      Json json = form_schema(path, form);
      if (std::find(forms.begin(), forms.end(), json) == forms.end()) {
        forms.push_back(std::move(json));
      }
    }
    if (forms.size() == 1) return std::move(forms.front());
    Json any = Json::array();
    for (Json& each : forms) any.push_back(std::move(each));
    return {{"anyOf", std::move(any)}};
  }

  [[nodiscard]] Json form_schema(const std::string& path, const KeyForm& form) const {
    Json text{{"type", "string"}, {"pattern", some_text}};
    switch (form.kind) {
      case KeyKind::text: return text;
      case KeyKind::whole: return number_schema("integer", form);
      case KeyKind::number: return number_schema("number", form);
      case KeyKind::flag: return {{"type", "boolean"}};
      case KeyKind::duration:
        return {{"type", "string"},
                {"pattern", "^\\s*[0-9]+(\\.[0-9]+)? *(ms|us|ns|min|s|h)\\s*$"},
                {"examples", {"500us", "200ms", "1.5s", "2min", "1h"}}};
      case KeyKind::address: {
        Json any = Json::array();
        any.push_back({{"type", "integer"}, {"minimum", 0}});
        any.push_back(text);
        return {{"anyOf", std::move(any)}};
      }
      case KeyKind::words: return words_schema(form);
      case KeyKind::grammar: {
        Json json = text;
        if (!form.words.empty()) json["examples"] = form.words;
        return json;
      }
      case KeyKind::texts: return list_schema(text);
      case KeyKind::wholes: return list_schema(number_schema("integer", form));
      case KeyKind::addresses: return list_schema(text);
      case KeyKind::table: return table(path);
      case KeyKind::tables: return {{"type", "array"}, {"items", table(path)}};
      case KeyKind::anything: break;
    }
    return Json{{"type", {"string", "number", "boolean", "object"}}};
  }

  const DescribeKey& describe_;
};

}  // namespace

std::string plan_schema(const DescribeKey& describe) {
  Json json{{"$schema", "https://json-schema.org/draft/2020-12/schema"},
            {"title", "Plan of cyclic Modbus transactions"}};
  json.update(Writer(describe).table(""));
  return dump(json);
}

}  // namespace greymet::files
