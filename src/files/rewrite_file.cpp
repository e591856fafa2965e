// Rewriting a file that exists, without losing it or what belongs to it.
#include <fcntl.h>
#include <sys/stat.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <filesystem>

#include <fmt/format.h>

#include "files/folder.h"

namespace greymet::files {
namespace {

tl::unexpected<FileError> changed(const std::string& path) {
  return tl::unexpected(FileError{
      path + ": was changed while greymet worked on it, and is left as it is; run it again"});
}

// True if a new file in its place would not be the same to others: further names, another owner,
// attributes.
bool must_stay(int fd, const struct stat& status) {
  return status.st_nlink > 1 || status.st_uid != ::geteuid() || status.st_gid != ::getegid() ||
         ::flistxattr(fd, nullptr, 0) > 0;
}

bool still(int fd, std::string_view expected) {
  const auto content = read_descriptor(fd, expected.size());
  return content && *content == expected;
}

tl::expected<void, FileError> overwrite(int fd, std::string_view content, const std::string& path) {
  if (::lseek(fd, 0, SEEK_SET) != 0) return system_failure(path, errno);
  if (auto done = write_descriptor(fd, content, path); !done) return done;
  if (::ftruncate(fd, static_cast<off_t>(content.size())) != 0) return system_failure(path, errno);
  if (::fsync(fd) != 0 && errno != EINVAL) return system_failure(path, errno);
  return {};
}

// The old content stands aside while the file is written. A failure puts it back.
tl::expected<void, FileError> write_in_place(const Folder& folder, int fd,
                                             std::string_view expected, std::string_view content,
                                             const std::string& path) {
  const auto rescue = write_aside(folder, expected, Aside::to_be_kept);
  if (!rescue) return tl::unexpected(rescue.error());
  const auto remove_rescue = [&] { ::unlinkat(folder.descriptor(), rescue->c_str(), 0); };
  if (!still(fd, expected)) {
    // what stands there now is somebody's newer text: not ours to put back
    remove_rescue();
    return changed(path);
  }
  auto done = overwrite(fd, content, path);
  if (!done && !overwrite(fd, expected, path)) {
    return tl::unexpected(FileError{fmt::format("{}; what stood in it is in {}/{}",
                                                done.error().message, folder.path(), *rescue)});
  }
  remove_rescue();
  return done;
}

// New file and old one change places in one step; only then is looked at what was replaced, so
// that whoever saved in between loses nothing.
tl::expected<void, FileError> exchange(const Folder& folder, const std::string& name, int fd,
                                       const struct stat& status, std::string_view expected,
                                       std::string_view content, const std::string& path) {
  const auto aside = write_aside(folder, content, Aside::to_be_removed);
  if (!aside) return tl::unexpected(aside.error());
  const int at = folder.descriptor();
  const auto give_up = [&](tl::expected<void, FileError> why) {
    ::unlinkat(at, aside->c_str(), 0);
    return why;
  };
  if (::fchmodat(at, aside->c_str(), status.st_mode & 07777U, 0) != 0) {
    return give_up(system_failure(path, errno));
  }
  if (::renameat2(at, aside->c_str(), at, name.c_str(), RENAME_EXCHANGE) != 0) {
    // not every file system can
    if (errno != EINVAL && errno != ENOSYS) return give_up(system_failure(path, errno));
    if (!still(fd, expected)) return give_up(changed(path));
    if (::renameat(at, aside->c_str(), at, name.c_str()) != 0)
      return give_up(system_failure(path, errno));
    return {};
  }
  struct stat replaced {};
  const bool same = ::fstatat(at, aside->c_str(), &replaced, AT_SYMLINK_NOFOLLOW) == 0 &&
                    replaced.st_ino == status.st_ino && still(fd, expected);
  if (same) return give_up({});
  // somebody's newer text stands aside: it goes back to its place, and is never removed
  if (::renameat2(at, aside->c_str(), at, name.c_str(), RENAME_EXCHANGE) != 0) {
    // under a name that no later run removes
    const std::string kept = *aside + ".kept";
    const bool renamed = ::renameat(at, aside->c_str(), at, kept.c_str()) == 0;
    return tl::unexpected(FileError{
        fmt::format("{}: was changed while greymet worked on it; the newer text is in {}/{}", path,
                    folder.path(), renamed ? kept : *aside)});
  }
  return give_up(changed(path));
}

}  // namespace

tl::expected<void, FileError> rewrite_file(const std::string& path, std::string_view expected,
                                           std::string_view content) {
  namespace fs = std::filesystem;
  std::error_code error;
  const fs::path target = fs::canonical(path, error);
  if (error) return tl::unexpected(FileError{fmt::format("{}: {}", path, error.message())});
  const auto folder = Folder::open(target.parent_path().string());
  if (!folder) return tl::unexpected(folder.error());
  if (auto locked = folder->lock(); !locked) return locked;
  folder->remove_leftovers();
  const std::string name = target.filename().string();
  const Descriptor file(
      ::openat(folder->descriptor(), name.c_str(), O_RDWR | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC));
  struct stat status {};
  const bool known = file.open() ? ::fstat(file.get(), &status) == 0 : errno == EACCES;
  if (!known) return system_failure(path, errno);
  constexpr mode_t writable = 0222;
  if (!file.open() || (status.st_mode & writable) == 0) {
    return tl::unexpected(
        FileError{path + ": is read-only and is left as it is; make it writable first"});
  }
  if (!still(file.get(), expected)) return changed(path);
  const SignalsHeld held;
  if (must_stay(file.get(), status)) {
    return write_in_place(*folder, file.get(), expected, content, path);
  }
  return exchange(*folder, name, file.get(), status, expected, content, path);
}

}  // namespace greymet::files
