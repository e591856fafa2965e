// A reader and interpreter for the part of IEC 61131-3 Structured Text that exports use: written
// from the language, to run what was written. Types are strict: what a system would have to convert
// by itself is an error here.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace greymet::test {

struct IecValue {
  std::string type;        // "INT", "REAL", "STRING", "TIME", "#INT" and "#REAL" for literals
  long double number = 0;  // exact for 64 bits
  std::string text;
};

// Memory of a controller: words and bits by their address, "%MW100".
struct IecMemory {
  std::map<std::string, std::uint16_t> words;
  std::map<std::string, bool> bits;
};

// A whole file. Throws std::runtime_error for whatever is not the language or not allowed.
class IecMachine {
 public:
  explicit IecMachine(const std::string& source);
  ~IecMachine();
  IecMachine(const IecMachine&) = delete;
  IecMachine& operator=(const IecMachine&) = delete;

  // One scan of the program, this many milliseconds after the start.
  void scan(long double now_ms);
  IecMemory memory;
  // Reals are cut where they become whole numbers, as some systems do; the standard rounds.
  bool cuts = false;
  // How often its task runs it.
  [[nodiscard]] std::optional<long double> interval_ms() const;
  // Globals, and variables of the program: "burner.firing_rate", "requests[NO_BURNER_IN].good".
  [[nodiscard]] IecValue get(const std::string& name) const;
  void set(const std::string& name, const IecValue& value);
  [[nodiscard]] bool has(const std::string& name) const;
  // Initial rows of the array of structures.
  [[nodiscard]] const std::vector<std::map<std::string, IecValue>>& table() const;
  // One call of a function.
  [[nodiscard]] IecValue call(const std::string& function, const std::vector<IecValue>& arguments);

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace greymet::test
