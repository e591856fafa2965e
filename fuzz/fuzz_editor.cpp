// Any bytes as what an editor sends: the server goes on. Lines are messages; one that begins with
// '!' is the plan that is opened, and one with '?' asks everything at a place.
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "editor/language_server.h"
#include "editor/message_stream.h"
#include "input.h"

using namespace greymet;

namespace {

using FuzzJson = nlohmann::ordered_json;

void ask_everything(editor::LanguageServer& server, unsigned line, unsigned character) {
  const FuzzJson params{{"textDocument", {{"uri", "file:///p/plan.toml"}}},
                        {"position", {{"line", line}, {"character", character}}},
                        {"range",
                         {{"start", {{"line", 0}, {"character", 0}}},
                          {"end", {{"line", line}, {"character", character}}}}},
                        {"context", {{"includeDeclaration", true}}},
                        {"newName", "other"}};
  int id = 0;
  for (const char* method :
       {"textDocument/hover", "textDocument/completion", "textDocument/definition",
        "textDocument/references", "textDocument/documentSymbol", "textDocument/rename",
        "textDocument/inlayHint", "textDocument/formatting", "textDocument/codeAction"}) {
    server.receive(
        FuzzJson{{"jsonrpc", "2.0"}, {"id", ++id}, {"method", method}, {"params", params}}.dump(
            -1, ' ', false, FuzzJson::error_handler_t::replace));
    fuzz::require(!server.take_outgoing().empty());
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  constexpr std::size_t longest = 2000;  // each question is a check
  if (size > longest) return 0;
  const std::string text = fuzz::text_of(data, size);
  editor::MessageStream stream;
  stream.feed(text);
  while (stream.next()) {
  }
  editor::LanguageServer server(
      files::memory_files({{"/p/m.csv", "point,area,address,type\na,hr,0,u16\nb,ir,2,f32\n"}}),
      {"1", [](std::string_view, std::string_view) { return std::string("help"); }, {}});
  server.receive(R"({"jsonrpc":"2.0","id":0,"method":"initialize","params":{}})");
  std::string plan = text;
  if (const std::size_t mark = text.find('!'); mark != std::string::npos) {
    plan = text.substr(mark + 1);
    for (std::size_t from = 0; from < mark;) {
      const std::size_t end = std::min(text.find('\n', from), mark);
      server.receive(std::string_view(text).substr(from, end - from));
      from = end + 1;
    }
  }
  server.receive(FuzzJson{
      {"jsonrpc", "2.0"},
      {"method", "textDocument/didOpen"},
      {"params",
       {{"textDocument", {{"uri", "file:///p/plan.toml"}, {"version", 1}, {"text", plan}}}}}}
                     .dump(-1, ' ', false, FuzzJson::error_handler_t::replace));
  static_cast<void>(server.take_outgoing());
  if (const auto task = server.next_check()) {
    editor::Reading reading = editor::read_for_editor(*task);
    editor::check_reading(reading, {});
    server.publish(std::make_shared<const editor::Reading>(std::move(reading)));
  }
  static_cast<void>(server.take_outgoing());
  if (server.exit_status()) return 0;
  const unsigned line = size > 0 ? data[0] % 16U : 0U;
  const unsigned character = size > 1 ? data[1] % 64U : 0U;
  ask_everything(server, line, character);
  return 0;
}
