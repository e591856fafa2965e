// What a program knows of each request, and tells whoever carries it out. Not for use outside this
// folder.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "iec_memory.h"
#include "iec_program.h"
#include "model/bit_index.h"
#include "model/identifier.h"
#include "model/memory_use.h"
#include "model/resolved_plan.h"

namespace greymet::exports {

// The array `requests`, one structure for each transaction of a controller: good, valid, age, may
// it be sent. What no bit of the plan says is told from outside.
class IecRequests {
 public:
  // Keeps references to all of them; `places` is the index of `uses`, those of the controller.
  IecRequests(const model::ResolvedPlan& plan, model::ControllerIndex controller,
              const model::BitIndex& places, const std::vector<model::MemoryUse>& uses,
              IecMemory& memory, model::UniqueNames& names);

  // "requests[NO_MOISTURE_IN]"
  [[nodiscard]] std::string name_of(const model::ExchangeTransaction& t) const;
  // TRUE in scans in which memory holds values of its last good reply, and nothing else.
  [[nodiscard]] std::string has_values(const model::ExchangeTransaction& t) const;
  // Whether a bit of the plan says that it failed.
  [[nodiscard]] static bool tells_failure(const model::ExchangeTransaction& t);

  // Statements for all; `sends`: the program has `send_values`. To be called once.
  [[nodiscard]] std::string text(bool sends);
  // The numbers of the rows as constants, with their values.
  [[nodiscard]] std::vector<IecVariable> numbers() const;
  // The array; nothing for who is master of nothing.
  [[nodiscard]] std::optional<IecVariable> variable() const;
  // What the program needs for itself.
  [[nodiscard]] const std::vector<IecVariable>& own() const { return own_; }
  // What whoever uses the program has to know.
  [[nodiscard]] std::vector<std::string> notes() const;

 private:
  [[nodiscard]] std::string status_text(const model::ExchangeTransaction& t) const;
  [[nodiscard]] std::string bits_text(const model::ExchangeTransaction& t);
  // True where a tag or something of the plan puts the bit there.
  [[nodiscard]] bool is_owned(const model::BitRange& bit) const;
  [[nodiscard]] std::string follow_text(const model::ExchangeTransaction& t);

  const model::ResolvedPlan& plan_;
  const model::ControllerIndex controller_;
  const model::BitIndex& places_;
  const std::vector<model::MemoryUse>& uses_;
  IecMemory& memory_;
  model::UniqueNames& names_;
  std::vector<const model::ExchangeTransaction*> all_;
  std::map<std::size_t, std::string> numbers_;  // per transaction
  std::vector<IecVariable> own_;
  std::vector<std::string> owned_;  // start and gate bits that the program leaves alone
};

}  // namespace greymet::exports
