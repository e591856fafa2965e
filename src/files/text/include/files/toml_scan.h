// The structure of a TOML text, without losing a byte of it: which key stands where, and from where
// to where its value reaches. Serves several errors in one go, and rewriting.
//
// The scan never fails: it also finds its way through texts that are no TOML. Whether they are, and
// what the values mean, toml++ alone decides.
#pragma once

#include <cstddef>
#include <string_view>
#include <vector>

namespace greymet::files {

// Bytes [begin, end) of the text.
struct Span {
  std::size_t begin = 0;
  std::size_t end = 0;
  [[nodiscard]] bool empty() const { return begin >= end; }
  [[nodiscard]] bool contains(std::size_t at) const { return begin <= at && at < end; }
  friend bool operator==(const Span&, const Span&) = default;
};

// What a node is.
enum class TomlKind : unsigned char {
  header,        // [a.b]
  array_header,  // [[a.b]]
  pair,          // key = value
  element        // a value of an array
};

// A header, a pair or an element; comments and blanks around it are not part of it.
struct TomlNode {
  TomlKind kind = TomlKind::pair;
  Span whole;
  Span key;                     // of a header: what stands between the brackets
  Span value;                   // of a pair or an element; empty where there is none
  bool closed = true;           // false for a list or inline table without its bracket
  std::vector<TomlNode> parts;  // elements of an array, pairs of an inline table
};

// Headers and pairs of a text, in its order; values nested deeper than 64 have no parts.
[[nodiscard]] std::vector<TomlNode> scan_toml(std::string_view text);

}  // namespace greymet::files
