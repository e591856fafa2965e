#include "transaction_columns.h"

#include <algorithm>
#include <array>
#include <string>
#include <utility>

#include "model/text_slips.h"

namespace greymet::files::internal {

namespace {

using Word = std::pair<std::string_view, std::string_view>;

}  // namespace

std::optional<std::string_view> key_meant_by(std::string_view heading) {
  static constexpr std::array<Word, 50> words{{{"name", "name"},
                                               {"transaction", "name"},
                                               {"transactionname", "name"},
                                               {"request", "name"},
                                               {"channel", "name"},
                                               {"bezeichnung", "name"},
                                               {"slave", "slave"},
                                               {"device", "slave"},
                                               {"slavename", "slave"},
                                               {"station", "slave"},
                                               {"geraet", "slave"},
                                               {"master", "controller"},
                                               {"plc", "controller"},
                                               {"controller", "controller"},
                                               {"function", "fc"},
                                               {"functioncode", "fc"},
                                               {"fc", "fc"},
                                               {"fcode", "fc"},
                                               {"code", "fc"},
                                               {"funktion", "fc"},
                                               {"funktionscode", "fc"},
                                               {"address", "at"},
                                               {"startaddress", "at"},
                                               {"start", "at"},
                                               {"register", "at"},
                                               {"startregister", "at"},
                                               {"firstregister", "at"},
                                               {"adresse", "at"},
                                               {"startadresse", "at"},
                                               {"count", "count"},
                                               {"quantity", "count"},
                                               {"qty", "count"},
                                               {"length", "count"},
                                               {"len", "count"},
                                               {"numberofregisters", "count"},
                                               {"registers", "count"},
                                               {"anzahl", "count"},
                                               {"every", "every"},
                                               {"period", "every"},
                                               {"cycle", "every"},
                                               {"cycletime", "every"},
                                               {"interval", "every"},
                                               {"pollinterval", "every"},
                                               {"pollrate", "every"},
                                               {"zyklus", "every"},
                                               {"readinto", "into"},
                                               {"receiveinto", "into"},
                                               {"sendfrom", "from"},
                                               {"phase", "phase"},
                                               {"onloss", "on_loss"}}};
  const std::string word = model::bare_word(heading);
  const auto* const at =
      std::find_if(words.begin(), words.end(), [&](const Word& w) { return w.first == word; });
  return at == words.end() ? std::nullopt : std::optional(at->second);
}

std::string_view advice_on(std::string_view heading) {
  static constexpr std::array<std::string_view, 9> memories{
      "memory", "memoryaddress", "plcaddress", "target",      "variable",
      "buffer", "datablock",     "speicher",   "localaddress"};
  const std::string word = model::bare_word(heading);
  if (std::find(memories.begin(), memories.end(), word) == memories.end()) return {};
  return "make two columns of it: `into` for what is read, `from` for what is sent";
}

}  // namespace greymet::files::internal
