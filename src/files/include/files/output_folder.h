// A folder that results go to: each file is complete or absent, and nothing that greymet did not
// write is overwritten.
#pragma once

#include <set>
#include <string>
#include <string_view>
#include <tl/expected.hpp>

#include "files/file_source.h"
#include "files/folder.h"

namespace greymet::files {

// Remembers in `.greymet-files` which files it wrote, with their SHA-256, so that a file somebody
// changed by hand is left alone as well. What is about to be written is remembered first: a run
// that is killed leaves nothing the next one would refuse. Several programs may write into one
// folder at a time. One object a folder and run; not for several threads.
class OutputFolder {
 public:
  // Makes the folder if needed. With `force` any file may be overwritten.
  [[nodiscard]] static tl::expected<OutputFolder, FileError> open(const std::string& path,
                                                                  bool force);
  // Writes one file; `name` may lead into sub-folders, which must not be links. Refuses a second
  // file of the same name, capitals aside. The message names the file.
  [[nodiscard]] tl::expected<void, FileError> write(const std::string& name,
                                                    std::string_view content);
  // Begins a file that grows: `content` first, then what is appended through the descriptor. Later
  // runs take whatever stands there for ours, as nobody knows its end after a kill.
  [[nodiscard]] tl::expected<Descriptor, FileError> begin_growing(const std::string& name,
                                                                  std::string_view content);
  [[nodiscard]] const std::string& path() const { return folder_.path(); }

 private:
  [[nodiscard]] tl::expected<void, FileError> put(const std::string& name, std::string_view content,
                                                  bool grows);
  OutputFolder(Folder folder, bool force) : folder_(std::move(folder)), force_(force) {}

  Folder folder_;
  bool force_;
  std::set<std::string> names_;  // of this run, in small letters
};

// A name for a file, made of the name of a thing: letters, digits, '-' and '_'. Long ones are cut
// and get a part of their hash, so that different ones stay different.
[[nodiscard]] std::string file_name_of(std::string_view name);

// SHA-256 in hexadecimal.
[[nodiscard]] std::string sha256_hex(std::string_view content);

}  // namespace greymet::files
