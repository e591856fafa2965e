// Rewriting a file that exists, without losing it or what belongs to it.
#include <fcntl.h>
#include <sys/stat.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <filesystem>
#include <memory>

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

// A failure puts the old content back; of a kill the journal knows.
tl::expected<void, FileError> write_in_place(int fd, std::string_view expected,
                                             std::string_view content, const std::string& path) {
  auto done = overwrite(fd, content, path);
  if (!done && !overwrite(fd, expected, path)) {
    return tl::unexpected(
        FileError{done.error().message + "; and what stood in it was not put back"});
  }
  return done;
}

// New file and old one change places in one step; only then is looked at what was replaced, so
// that whoever saved in between loses nothing.
tl::expected<void, FileError> exchange(const Folder& folder, const std::string& name, int fd,
                                       const struct stat& status, std::string_view expected,
                                       std::string_view content, const std::string& path) {
  const auto aside = write_aside(folder, content);
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

tl::expected<FileWithin, FileError> file_within(const Folder& folder, const std::string& path) {
  namespace fs = std::filesystem;
  std::error_code error;
  const fs::path root = fs::canonical(folder.path(), error);
  if (error) return tl::unexpected(FileError{fmt::format("{}: {}", path, error.message())});
  const fs::path target = fs::weakly_canonical(path, error);
  if (error) return tl::unexpected(FileError{fmt::format("{}: {}", path, error.message())});
  const fs::path within = target.lexically_relative(root);
  if (within.empty() || within == "." || *within.begin() == "..") {
    return tl::unexpected(FileError{
        fmt::format("{}: leads to {}, outside the plan's folder, where nothing is written", path,
                    target.string())});
  }
  // a link that is made meanwhile is not followed
  auto at = Folder::open(root.string());
  for (const fs::path& part : within.parent_path()) {
    if (at) at = at->subfolder(part.string(), false);
  }
  if (!at) return tl::unexpected(at.error());
  return FileWithin{std::move(*at), within.filename().string(), within.string()};
}

tl::expected<void, FileError> rewrite_file(const FileWithin& within, std::string_view expected,
                                           std::string_view content, const std::string& path) {
  const Folder& folder = within.folder;
  if (auto locked = folder.lock(); !locked) return locked;
  // others of the same folder may come next, each with a descriptor of its own
  const std::unique_ptr<const Folder, void (*)(const Folder*)> unlocks(
      &folder, [](const Folder* locked) { locked->unlock(); });
  folder.remove_leftovers();
  const Descriptor file(::openat(folder.descriptor(), within.name.c_str(),
                                 O_RDWR | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC));
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
    if (!still(file.get(), expected)) return changed(path);
    return write_in_place(file.get(), expected, content, path);
  }
  return exchange(folder, within.name, file.get(), status, expected, content, path);
}

}  // namespace greymet::files
