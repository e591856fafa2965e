// A program in the terms of IEC 61131-3, before it is written as text or as XML. Not for use
// outside this folder.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "exports/exports.h"
#include "model/memory_use.h"

namespace greymet::exports {

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

// VAR_INPUT, VAR_OUTPUT, VAR, VAR CONSTANT.
enum class IecSection : std::uint8_t { input, output, local, constant };

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
  std::vector<IecVariable> members;
};

// All that one controller gets.
struct IecProgram {
  std::string controller;
  std::string title;
  std::string fingerprint;
  std::vector<std::string> notes;  // what a reader has to know first
  std::vector<IecStruct> types;
  std::vector<IecPou> pous;  // functions first, the program last
};

// The programs of all controllers: see docs/exports.md. Keeps a reference.
class IecPrograms {
 public:
  explicit IecPrograms(const ExportInput& input);
  [[nodiscard]] IecProgram of(model::ControllerIndex controller) const;

 private:
  const ExportInput& input_;
  model::Indexed<std::vector<model::MemoryUse>, model::ControllerIndex> uses_;
};

// Functions and function blocks that the body calls, and those that they call, in an order in which
// each stands before whoever calls it.
[[nodiscard]] std::vector<IecPou> functions_called_by(std::string_view body);

// The text as a comment, which must not end early; on one line.
[[nodiscard]] std::string iec_comment(std::string_view text);
// A literal of STRING: what is not printable ASCII as $hh.
[[nodiscard]] std::string iec_string(std::string_view text);
// "0.1", "1.0E-9": the shortest that reads back as the same number.
[[nodiscard]] std::string iec_real(std::string_view type, double value);
// "T#1500ms"
[[nodiscard]] std::string iec_time(model::Duration duration);
// An identifier that is no word of the language.
[[nodiscard]] std::string iec_name(std::string_view name);

// The POU as Structured Text.
[[nodiscard]] std::string structured_text(const IecPou& pou);

}  // namespace greymet::exports
