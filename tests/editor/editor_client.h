// An editor for tests: speaks to a LanguageServer as one would, and keeps its own texts.
#pragma once

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <sstream>
#include <string>
#include <utility>
#include <vector>

#include <nlohmann/json.hpp>

#include "editor/language_server.h"

namespace greymet::test {

using Rpc = nlohmann::ordered_json;

// The demo's files, below a folder that is none of the disk.
inline std::map<std::string, std::string> demo_site(const std::string& folder = "/site/") {
  std::map<std::string, std::string> out;
  const std::filesystem::path examples = GREYMET_EXAMPLES;
  for (const auto& each : std::filesystem::recursive_directory_iterator(examples)) {
    if (!each.is_regular_file()) continue;
    std::ifstream in(each.path(), std::ios::binary);
    std::ostringstream text;
    text << in.rdbuf();
    out[folder + each.path().lexically_relative(examples).string()] = text.str();
  }
  return out;
}

// `files`: texts by path, that nobody has open.
class EditorClient {
 public:
  explicit EditorClient(std::map<std::string, std::string> files, const Rpc& capabilities = {},
                        const Rpc& options = {})
      : server_(files::memory_files(std::move(files)),
                {"1",
                 [](std::string_view path, std::string_view key) {
                   return "about " + std::string(path) + " " + std::string(key);
                 },
                 [](model::RuleCode code) {
                   return "file:///rules.md#" + std::string(to_string(code));
                 }}) {
    request("initialize", {{"capabilities", capabilities}, {"initializationOptions", options}});
    notify("initialized", Rpc::object());
  }

  editor::LanguageServer& server() { return server_; }

  void notify(const std::string& method, const Rpc& params) {
    server_.receive(Rpc{{"jsonrpc", "2.0"}, {"method", method}, {"params", params}}.dump(
        -1, ' ', false, Rpc::error_handler_t::replace));
    collect();
  }
  // The whole answer.
  Rpc answer(const std::string& method, const Rpc& params) {
    server_.receive(
        Rpc{{"jsonrpc", "2.0"}, {"id", ++id_}, {"method", method}, {"params", params}}.dump(
            -1, ' ', false, Rpc::error_handler_t::replace));
    collect();
    const auto at = std::find_if(messages.begin(), messages.end(), [&](const Rpc& each) {
      return each.contains("id") && each["id"] == id_ && !each.contains("method");
    });
    if (at == messages.end()) return {};
    Rpc out = *at;
    messages.erase(at);
    return out;
  }
  Rpc request(const std::string& method, const Rpc& params) {
    const Rpc out = answer(method, params);
    return out.contains("result") ? out["result"] : out;
  }

  void open(const std::string& path, const std::string& text) {
    texts[path] = text;
    notify("textDocument/didOpen",
           {{"textDocument",
             {{"uri", "file://" + path}, {"languageId", "toml"}, {"version", 1}, {"text", text}}}});
  }
  void write(const std::string& path, const std::string& text) {
    texts[path] = text;
    notify("textDocument/didChange",
           {{"textDocument", {{"uri", "file://" + path}, {"version", ++version_}}},
            {"contentChanges", Rpc::array({{{"text", text}}})}});
  }
  // Bytes [from, from + count) become `with`; positions are those of UTF-16.
  void replace(const std::string& path, std::size_t from, std::size_t count,
               const std::string& with) {
    const Rpc range{{"start", position(texts[path], from)},
                    {"end", position(texts[path], from + count)}};
    texts[path].replace(from, count, with);
    notify("textDocument/didChange",
           {{"textDocument", {{"uri", "file://" + path}, {"version", ++version_}}},
            {"contentChanges", Rpc::array({{{"range", range}, {"text", with}}})}});
  }

  // Checks all that is to be checked.
  void settle() {
    while (const auto task = server_.next_check()) {
      editor::Reading reading = editor::read_for_editor(*task);
      editor::check_reading(reading, {});
      server_.publish(std::make_shared<const editor::Reading>(std::move(reading)));
      collect();
    }
  }

  // "F13 12:3 message", of the last that was told of a file.
  std::vector<std::string> findings(const std::string& path) const {
    std::vector<std::string> out;
    const auto at = diagnostics.find("file://" + path);
    if (at == diagnostics.end()) return out;
    for (const Rpc& each : at->second) {
      out.push_back(each["code"].get<std::string>() + " " +
                    std::to_string(each["range"]["start"]["line"].get<int>() + 1) + ":" +
                    std::to_string(each["range"]["start"]["character"].get<int>() + 1) + " " +
                    each["message"].get<std::string>());
    }
    return out;
  }

  // The place of a text, counted from its begin, in a file that is open.
  Rpc at(const std::string& path, const std::string& words, std::size_t behind = 0) const {
    const std::size_t byte = texts.at(path).find(words) + behind;
    return {{"textDocument", {{"uri", "file://" + path}}},
            {"position", position(texts.at(path), byte)}};
  }
  static Rpc document(const std::string& path) {
    return {{"textDocument", {{"uri", "file://" + path}}}};
  }
  static Rpc position(const std::string& text, std::size_t byte) {
    std::size_t line = 0;
    std::size_t character = 0;
    for (std::size_t i = 0; i < std::min(byte, text.size()); ++i) {
      const auto c = static_cast<unsigned char>(text[i]);
      if (c == '\n') {
        ++line;
        character = 0;
      } else if (c >= 0xF0) {
        character += 2;
      } else if ((c & 0xC0U) != 0x80U) {
        ++character;
      }
    }
    return {{"line", line}, {"character", character}};
  }
  static std::size_t byte_at(const std::string& text, const Rpc& position) {
    std::size_t byte = 0;
    for (int line = position["line"].get<int>(); line > 0; --line) {
      byte = text.find('\n', byte);
      if (byte == std::string::npos) return text.size();
      ++byte;
    }
    for (int left = position["character"].get<int>(); left > 0 && byte < text.size();) {
      const auto c = static_cast<unsigned char>(text[byte]);
      left -= c >= 0xF0 ? 2 : 1;
      ++byte;
      while (byte < text.size() && (static_cast<unsigned char>(text[byte]) & 0xC0U) == 0x80U) {
        ++byte;
      }
    }
    return byte;
  }
  // The texts with a workspace edit carried out, the last place first.
  std::map<std::string, std::string> with(const Rpc& edit,
                                          std::map<std::string, std::string> all) const {
    for (const auto& [uri, list] : edit["changes"].items()) {
      std::string& text = all[uri.substr(7)];
      std::vector<std::tuple<std::size_t, std::size_t, std::string>> changes;
      for (const Rpc& each : list) {
        changes.emplace_back(byte_at(text, each["range"]["start"]),
                             byte_at(text, each["range"]["end"]),
                             each["newText"].get<std::string>());
      }
      std::stable_sort(changes.begin(), changes.end(), [](const auto& a, const auto& b) {
        return std::get<0>(a) > std::get<0>(b);
      });
      for (const auto& [begin, end, words] : changes) text.replace(begin, end - begin, words);
    }
    return all;
  }

  std::vector<Rpc> messages;  // that are no answers
  std::map<std::string, Rpc> diagnostics;
  std::map<std::string, std::string> texts;

 private:
  void collect() {
    for (const std::string& text : server_.take_outgoing()) {
      Rpc json = Rpc::parse(text);
      if (json.contains("method") && json["method"] == "textDocument/publishDiagnostics") {
        diagnostics[json["params"]["uri"].get<std::string>()] = json["params"]["diagnostics"];
      }
      messages.push_back(std::move(json));
    }
  }

  editor::LanguageServer server_;
  int id_ = 0;
  int version_ = 1;
};

}  // namespace greymet::test
