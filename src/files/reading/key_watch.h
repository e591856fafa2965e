// What the reader of plans asks of its tables, seen while it reads one that says nothing. Not for
// use outside this folder.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "files/plan_keys.h"
#include "files/value_tree.h"
#include "model/range.h"

namespace greymet::files::internal {

// While it lives, every TableReader of its thread says what it asks; tables that are not there are
// opened, so that it asks of them too. Tables go by the line they stand in. One at a time.
class KeyWatch {
 public:
  // `names`: of the tables that are there, by their line.
  explicit KeyWatch(std::map<std::uint32_t, std::string> names);
  ~KeyWatch();
  KeyWatch(const KeyWatch&) = delete;
  KeyWatch& operator=(const KeyWatch&) = delete;

  // That of this thread, or null.
  [[nodiscard]] static KeyWatch* current();

  void asked(const model::Range& table, std::string_view key, KeyForm form);
  void required(const model::Range& table, std::string_view key);
  // A reader of the table has begun, and another one for each further time.
  void begun(const model::Range& table);
  // A table of that key, which stands nowhere.
  [[nodiscard]] const Value* opened(const model::Range& table, std::string_view key);

  // In the order in which they were asked.
  [[nodiscard]] std::vector<PlanTable> take();

 private:
  [[nodiscard]] PlanTable* table_of(const model::Range& table);
  [[nodiscard]] PlanKey& key_of(PlanTable& table, std::string_view key);

  std::map<std::uint32_t, std::string> names_;
  std::vector<PlanTable> tables_;
  std::map<std::string, std::size_t> readers_;
  std::map<std::pair<std::string, std::string>, std::size_t> required_;
  std::map<std::string, Value> opened_;
  std::uint32_t next_line_ = 1'000'000;
};

}  // namespace greymet::files::internal
