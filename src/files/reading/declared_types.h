// Types of a program and the words that their values take. Not for use outside this folder.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "model/finding.h"
#include "model/tag.h"

namespace greymet::files::internal {

struct DeclaredMember;

// A type as it is declared: a name, an array, or a structure.
struct DeclaredType {
  std::string name;              // of an elementary type, or of one that is declared; else empty
  std::uint32_t characters = 0;  // of STRING[n]
  std::int64_t first = 0;        // bounds of an array
  std::int64_t last = -1;
  std::shared_ptr<DeclaredType> of;     // elements of an array
  std::vector<DeclaredMember> members;  // of a structure
};

struct DeclaredMember {
  std::string name;
  DeclaredType type;
};

// A variable at an address.
struct DeclaredVariable {
  std::string name;
  model::Range place;
  model::Located<std::string> address;
  DeclaredType type;
};

// Variables of one controller, made into tags.
class TagMaker {
 public:
  TagMaker(std::vector<std::string> areas, model::Subject subject, model::Findings& findings,
           model::TagTable& out)
      : areas_(std::move(areas)), subject_(std::move(subject)), findings_(findings), out_(out) {}

  void declare(const std::string& name, DeclaredType type);
  void add(const DeclaredVariable& variable);

 private:
  // Where an element lies: words, or bits of an area of bits, behind its variable's address.
  struct At {
    std::string area;
    std::int64_t number = 0;
    std::optional<std::uint32_t> bit;
  };
  [[nodiscard]] std::optional<At> place_of(const std::string& address) const;
  // Words that a value of the type takes; nothing where that is not known.
  [[nodiscard]] std::optional<std::int64_t> words_of(const DeclaredType& type, int depth) const;
  bool spread(const DeclaredVariable& variable, const std::string& name, const DeclaredType& type,
              const At& at, int depth);
  void leave_out(const DeclaredVariable& variable, const std::string& why);

  std::vector<std::string> areas_;
  model::Subject subject_;
  model::Findings& findings_;
  model::TagTable& out_;
  std::map<std::string, DeclaredType> types_;  // in small letters
  std::map<std::string, model::Range> names_;  // of tags, in small letters
};

}  // namespace greymet::files::internal
