// A folder that results go to: each file is complete or absent, and nothing that greymet did not
// write is overwritten.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <vector>

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
  // Several files, all or none: stage() refuses what write() would and puts the content aside,
  // commit() lets all that was staged appear. What is not committed is gone with the object.
  [[nodiscard]] tl::expected<void, FileError> stage(const std::string& name,
                                                    std::string_view content);
  [[nodiscard]] tl::expected<void, FileError> commit();
  OutputFolder(OutputFolder&&) = default;
  OutputFolder& operator=(OutputFolder&&) = default;
  OutputFolder(const OutputFolder&) = delete;
  OutputFolder& operator=(const OutputFolder&) = delete;
  ~OutputFolder();
  // Begins a file that grows: `content` first, then what is appended through the descriptor. Later
  // runs take whatever stands there for ours, as nobody knows its end after a kill.
  [[nodiscard]] tl::expected<Descriptor, FileError> begin_growing(const std::string& name,
                                                                  std::string_view content);
  [[nodiscard]] const std::string& path() const { return folder_.path(); }

 private:
  struct Staged {
    Folder folder;
    std::string aside;
    std::string name;  // in its folder
  };
  enum class How : std::uint8_t { at_once, staged, grows };
  [[nodiscard]] tl::expected<void, FileError> put(const std::string& name, std::string_view content,
                                                  How how);
  OutputFolder(Folder folder, bool force) : folder_(std::move(folder)), force_(force) {}

  Folder folder_;
  bool force_;
  std::set<std::string> names_;  // of this run, in small letters
  std::vector<Staged> staged_;
  std::optional<Folder> locked_;  // from the first that is staged to the last that appears
};

// SHA-256 in hexadecimal.
[[nodiscard]] std::string sha256_hex(std::string_view content);

}  // namespace greymet::files
