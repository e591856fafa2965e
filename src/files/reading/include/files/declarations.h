// The variables of a program as its language declares them: IEC 61131-3 texts and PLCopen XML
// (TC6, 2.01) -> tags.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "model/finding.h"
#include "model/tag.h"

namespace greymet::files {

// True for a text that declares variables: VAR, TYPE or a unit of a program come first.
[[nodiscard]] bool looks_like_declarations(std::string_view text);
// True for an XML project.
[[nodiscard]] bool looks_like_project(std::string_view text);

// Every variable that lies at an address (AT) in one of these areas of memory: arrays and
// structures by their elements, at the addresses that they come to where all are whole words; bits
// of an array in an area of bits. Whatever lies elsewhere, or nowhere, is left alone. What lies
// there and is of no type that can be told is named in a note, and the table is incomplete then.
// `file` is the index that places get, `name` the name to show.
[[nodiscard]] model::TagTable read_declarations(const std::string& text, const std::string& name,
                                                std::uint32_t file,
                                                const std::vector<std::string>& areas,
                                                const model::Subject& subject,
                                                model::Findings& findings);
// The same of the variables of a project. Places are lines.
[[nodiscard]] model::TagTable read_project(const std::string& text, const std::string& name,
                                           std::uint32_t file,
                                           const std::vector<std::string>& areas,
                                           const model::Subject& subject,
                                           model::Findings& findings);

}  // namespace greymet::files
