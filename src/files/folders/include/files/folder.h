// A folder held open, in which files are replaced as a whole or not at all.
//
// Everything goes by the folder's descriptor, never by a path a second time, and no symbolic link
// in it is followed. New content stands in a file of an unpredictable name, readable by its owner
// alone, until it is complete; signals that end the program wait that long, and what a killed
// program left behind is removed by the next one.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <tl/expected.hpp>

#include "files/file_source.h"

namespace greymet::files {

// An open file descriptor; closed with the object. Move-only.
class Descriptor {
 public:
  explicit Descriptor(int fd = -1) : fd_(fd) {}
  Descriptor(Descriptor&& other) noexcept;
  Descriptor& operator=(Descriptor&& other) noexcept;
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor();
  [[nodiscard]] int get() const { return fd_; }
  [[nodiscard]] bool open() const { return fd_ >= 0; }

 private:
  int fd_;
};

// Holds back SIGINT, SIGTERM, SIGHUP and SIGQUIT in this thread; they arrive when the object goes.
class SignalsHeld {
 public:
  SignalsHeld();
  SignalsHeld(const SignalsHeld&) = delete;
  SignalsHeld& operator=(const SignalsHeld&) = delete;
  ~SignalsHeld();

 private:
  struct Mask;
  std::unique_ptr<Mask> before_;
};

// What stands at a name.
enum class Standing : std::uint8_t { nothing, file, other };

// One folder. Move-only; not for several threads.
class Folder {
 public:
  // An existing folder; links in the path are followed here, and only here.
  [[nodiscard]] static tl::expected<Folder, FileError> open(const std::string& path);
  // A folder in it, made if `make` says so. Links are refused.
  [[nodiscard]] tl::expected<Folder, FileError> subfolder(const std::string& name, bool make) const;

  // Keeps other programs of ours out until unlock(), or until the folder object goes; waits some
  // seconds for them.
  // Where the file system knows no locks, nobody is kept out.
  [[nodiscard]] tl::expected<void, FileError> lock() const;
  void unlock() const;
  // Removes what killed programs left behind. Only under lock().
  void remove_leftovers() const;

  [[nodiscard]] Standing standing(const std::string& name) const;
  // A regular file, or nothing.
  [[nodiscard]] std::optional<std::string> read(const std::string& name) const;
  // Readers see the old file or the new one, never a part. `mode` are its permissions.
  [[nodiscard]] tl::expected<void, FileError> replace(const std::string& name,
                                                      std::string_view content,
                                                      unsigned mode) const;
  [[nodiscard]] const std::string& path() const { return path_; }
  [[nodiscard]] int descriptor() const { return fd_.get(); }

 private:
  Folder(std::string path, Descriptor fd) : path_(std::move(path)), fd_(std::move(fd)) {}
  std::string path_;
  Descriptor fd_;
};

// A complete, synced file of an unpredictable name in the folder, with owner's permissions only.
// What a killed program leaves of it is removed by the next one.
[[nodiscard]] tl::expected<std::string, FileError> write_aside(const Folder& folder,
                                                               std::string_view content);

// Where a path leads to, if that is within the folder: the folder of the file, reached without
// following any link, and the name in it. The file itself need not exist.
struct FileWithin {
  Folder folder;
  std::string name;
  std::string path;  // from the folder, without links
};
[[nodiscard]] tl::expected<FileWithin, FileError> file_within(const Folder& folder,
                                                              const std::string& path);

// Replaces the content of a file, if it still is `expected`, as a whole or not at all. Owner,
// permissions, extended attributes and hard links stay. What changed meanwhile, or may not be
// written, is refused and stays as it is. `path` is for messages.
[[nodiscard]] tl::expected<void, FileError> rewrite_file(const FileWithin& file,
                                                         std::string_view expected,
                                                         std::string_view content,
                                                         const std::string& path);

}  // namespace greymet::files
