// A program in the terms of IEC 61131-3, before it is written as text or as XML. Not for use
// outside this folder.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "exports/exports.h"
#include "model/memory_use.h"

namespace greymet::exports {

class IecMaps;

// An elementary type, STRING[n], or the name of a function block or structure; maybe an array.
struct IecType {
  std::string name;                                           // "REAL", "STRING[16]", "GM_WATCH"
  std::optional<std::pair<std::size_t, std::size_t>> bounds;  // of an array: [first..last]
};

// Members and their values, each as a literal.
using IecRow = std::vector<std::pair<std::string, std::string>>;

// One variable with its declaration.
struct IecVariable {
  std::string name;
  IecType type;
  std::string at = {};            // "%MW100": where it lies; empty where it lies anywhere
  std::string initial = {};       // a literal
  std::vector<IecRow> rows = {};  // initial values of an array of structures
  std::string comment = {};
};

// VAR_INPUT, VAR_OUTPUT, VAR_IN_OUT, VAR, VAR_EXTERNAL, VAR_EXTERNAL CONSTANT, VAR_GLOBAL,
// VAR_GLOBAL CONSTANT.
enum class IecSection : std::uint8_t {
  input,
  output,
  in_out,
  local,
  external,
  external_constant,
  global,
  global_constant
};

// A section with its variables, in their order.
struct IecBlock {
  IecSection section = IecSection::local;
  std::vector<IecVariable> variables;
};

// Kinds of program organisation units (IEC 61131-3, 2.5).
enum class PouKind : std::uint8_t { function, function_block, program };

// One program organisation unit.
struct IecPou {
  PouKind kind = PouKind::function;
  std::string name;
  std::string returns;  // of a function
  std::string comment;
  std::vector<IecBlock> blocks;
  std::string body;  // statements of Structured Text
};

// A declared structure.
struct IecStruct {
  std::string name;
  std::string comment;
  std::vector<IecVariable> members;
};

// Structures and the functions and blocks that work on them, in an order in which each stands
// before whoever uses it.
struct IecPart {
  std::vector<IecStruct> types;
  std::vector<IecPou> pous;
};

// All that one controller gets.
struct IecProgram {
  std::string controller;
  std::string title;
  std::string fingerprint;
  std::vector<std::string> notes;  // what a reader has to know first
  IecPart library;                 // the same for every plan
  IecPart maps;                    // a structure and blocks for each register map
  std::vector<IecStruct> types;    // of this controller alone
  IecPou program;
  std::vector<IecBlock> globals;
  model::Duration scan{};  // how often the program runs
};

// The name of the configuration, its resource, task and instance of the program.
struct IecConfiguration {
  std::string name;
  std::string_view resource = "main";
  std::string_view task = "each_scan";
  std::string_view instance = "running";
};
[[nodiscard]] IecConfiguration configuration_of(const IecProgram& program);

// The programs of all controllers: see docs/exports.md. Keeps a reference.
class IecPrograms {
 public:
  explicit IecPrograms(const ExportInput& input);
  ~IecPrograms();
  IecPrograms(const IecPrograms&) = delete;
  IecPrograms& operator=(const IecPrograms&) = delete;
  [[nodiscard]] IecProgram of(model::ControllerIndex controller) const;

 private:
  const ExportInput& input_;
  std::unique_ptr<const IecMaps> maps_;
  model::Indexed<std::vector<model::MemoryUse>, model::ControllerIndex> uses_;
};

// Functions and function blocks that the text calls or declares, and those that they call, in an
// order in which each stands before whoever calls it.
[[nodiscard]] std::vector<IecPou> functions_called_by(std::string_view text);
// Bodies and types of variables: what may call or declare a block.
[[nodiscard]] std::string text_that_calls(const IecPou& pou);

// The text as a comment, which must not end early; on one line.
[[nodiscard]] std::string iec_comment(std::string_view text);
// A literal of STRING: what is not printable ASCII as $hh.
[[nodiscard]] std::string iec_string(std::string_view text);
// "0.1", "1.0E-9": the shortest that reads back as the same number.
[[nodiscard]] std::string iec_real(std::string_view type, double value);
// "T#1500ms"
[[nodiscard]] std::string iec_time(model::Duration duration);
// ASCII letters in capitals: names of types, blocks and constants.
[[nodiscard]] std::string in_capitals(std::string text);
// An identifier that is no word of the language.
[[nodiscard]] std::string iec_name(std::string_view name);

// A variable that lies anywhere.
[[nodiscard]] IecVariable iec_variable(const std::string& name, const std::string& type,
                                       const std::string& comment = {});
// An array from 0 on.
[[nodiscard]] IecVariable iec_array(const std::string& name, const std::string& type,
                                    std::size_t size);
// What one request carries at most (V1.1b3, 6.1 and 6.3).
inline constexpr std::size_t most_registers_of_block = 125;
inline constexpr std::size_t most_bits_of_block = 2000;

}  // namespace greymet::exports
