#include "files/rewrite_files.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>

#include <fmt/format.h>

#include "files/folder.h"

namespace greymet::files {
namespace {

constexpr const char* journal_name = ".greymet-journal";
constexpr std::string_view journal_head = "greymet journal 1\n";
constexpr std::size_t largest_journal = std::size_t{256} << 20;

// ---------------------------------------------------------------- the journal as text

void put_text(std::string& out, const std::optional<std::string>& text) {
  out += text ? fmt::format("{}\n", text->size()) : std::string("-\n");
  if (text) out += *text + "\n";
}

std::string journal_of(const std::vector<ChangedFile>& files) {
  std::string out(journal_head);
  for (const ChangedFile& file : files) {
    put_text(out, file.name);
    put_text(out, file.before);
    put_text(out, file.after);
  }
  return out;
}

// Reads what put_text() wrote. False where it is no such text.
bool take_text(std::string_view& rest, std::optional<std::string>& text) {
  const std::size_t end = rest.find('\n');
  if (end == std::string_view::npos) return false;
  const std::string_view number = rest.substr(0, end);
  rest.remove_prefix(end + 1);
  text.reset();
  if (number == "-") return true;
  std::size_t size = 0;
  const auto [stop, error] = std::from_chars(number.data(), number.data() + number.size(), size);
  if (error != std::errc() || stop != number.data() + number.size()) return false;
  if (size >= rest.size() || rest[size] != '\n') return false;
  text = std::string(rest.substr(0, size));
  rest.remove_prefix(size + 1);
  return true;
}

std::optional<std::vector<ChangedFile>> files_in(std::string_view journal) {
  if (!journal.starts_with(journal_head)) return std::nullopt;
  journal.remove_prefix(journal_head.size());
  std::vector<ChangedFile> files;
  while (!journal.empty()) {
    std::optional<std::string> name;
    std::optional<std::string> before;
    std::optional<std::string> after;
    if (!take_text(journal, name) || !take_text(journal, before) || !take_text(journal, after) ||
        !name || !after) {
      return std::nullopt;
    }
    files.push_back({std::move(*name), std::move(before), std::move(*after)});
  }
  return files;
}

// ---------------------------------------------------------------- the journal as a file

// Held while files are written: who finds the lock free knows that nobody is at work.
class Journal {
 public:
  static tl::expected<Journal, FileError> begin(const Folder& folder,
                                                const std::vector<ChangedFile>& files) {
    const auto aside = write_aside(folder, journal_of(files));
    if (!aside) return tl::unexpected(aside.error());
    Descriptor fd(::openat(folder.descriptor(), aside->c_str(), O_RDONLY | O_NOFOLLOW | O_CLOEXEC));
    ::flock(fd.get(), LOCK_EX | LOCK_NB);
    const bool begun = ::renameat2(folder.descriptor(), aside->c_str(), folder.descriptor(),
                                   journal_name, RENAME_NOREPLACE) == 0;
    const int error = errno;
    if (!begun) ::unlinkat(folder.descriptor(), aside->c_str(), 0);
    if (!begun && error == EEXIST) {
      return tl::unexpected(
          FileError{fmt::format("{}: another greymet is rewriting files there", folder.path())});
    }
    if (!begun) return system_failure(folder.path(), error);
    ::fsync(folder.descriptor());
    return Journal(folder, std::move(fd));
  }
  Journal(Journal&&) = default;
  Journal& operator=(Journal&&) = delete;
  Journal(const Journal&) = delete;
  Journal& operator=(const Journal&) = delete;
  ~Journal() {
    if (fd_.open()) ::unlinkat(folder_->descriptor(), journal_name, 0);
  }

 private:
  Journal(const Folder& folder, Descriptor fd) : folder_(&folder), fd_(std::move(fd)) {}
  const Folder* folder_;
  Descriptor fd_;
};

// ---------------------------------------------------------------- carrying out

tl::expected<void, FileError> put_new(const FileWithin& at, const ChangedFile& file) {
  if (at.folder.standing(at.name) != Standing::nothing) {
    return tl::unexpected(FileError{file.name + ": exists already"});
  }
  const mode_t mask = ::umask(0);
  ::umask(mask);
  constexpr mode_t readable_by_all = 0666;
  return at.folder.replace(at.name, file.after, readable_by_all & ~mask);
}

// As far as it goes, back to what it was.
void undo(const FileWithin& at, const ChangedFile& file, std::string& trouble) {
  if (!file.before) {
    if (at.folder.read(at.name) == file.after)
      ::unlinkat(at.folder.descriptor(), at.name.c_str(), 0);
    return;
  }
  const auto undone = rewrite_file(at, file.after, *file.before, file.name);
  if (!undone) trouble += "; " + undone.error().message;
}

// What a kill leaves of a file that was being overwritten: the new text up to some place, and the
// old one behind it.
bool is_torn(std::string_view text, const ChangedFile& file) {
  const std::string& before = *file.before;
  const auto same = static_cast<std::size_t>(
      std::mismatch(text.begin(), text.end(), file.after.begin(), file.after.end()).first -
      text.begin());
  if (same == text.size() && text.size() >= before.size()) return true;
  // the same bytes in both may count to either
  return text.size() == before.size() && text.substr(same) == std::string_view(before).substr(same);
}

}  // namespace

std::string folder_of_plan(const std::string& plan) {
  const std::size_t slash = plan.rfind('/');
  if (slash == std::string::npos) return ".";
  return slash == 0 ? "/" : plan.substr(0, slash);
}

tl::expected<void, FileError> rewrite_files(const std::string& folder,
                                            const std::vector<ChangedFile>& changed) {
  const auto root = Folder::open(folder);
  if (!root) return tl::unexpected(root.error());
  std::vector<FileWithin> places;
  std::vector<ChangedFile> noted;
  for (const ChangedFile& file : changed) {
    if (!file.before) {
      // a new file may stand in a new folder
      const std::size_t slash = file.name.rfind('/');
      if (slash != std::string::npos && slash > 0)
        ::mkdir(file.name.substr(0, slash).c_str(), 0777);
    }
    auto place = file_within(*root, file.name);
    if (!place) return tl::unexpected(place.error());
    noted.push_back({place->path, file.before, file.after});
    places.push_back(std::move(*place));
  }
  const SignalsHeld held;
  const auto journal = Journal::begin(*root, noted);
  if (!journal) return tl::unexpected(journal.error());
  for (std::size_t i = 0; i < changed.size(); ++i) {
    const ChangedFile& file = changed[i];
    auto done = file.before ? rewrite_file(places[i], *file.before, file.after, file.name)
                            : put_new(places[i], file);
    if (done) continue;
    std::string trouble = done.error().message;
    for (std::size_t k = 0; k < i; ++k) undo(places[k], changed[k], trouble);
    return tl::unexpected(FileError{trouble});
  }
  return {};
}

std::optional<Mended> mend_interrupted(const std::string& folder) {
  const auto root = Folder::open(folder);
  if (!root) return std::nullopt;
  const Descriptor fd(
      ::openat(root->descriptor(), journal_name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC));
  if (!fd.open() || ::flock(fd.get(), LOCK_EX | LOCK_NB) != 0) return std::nullopt;
  struct stat status {};
  // of somebody else, or gone meanwhile: not ours to carry out
  const bool ours = ::fstat(fd.get(), &status) == 0 && S_ISREG(status.st_mode) &&
                    status.st_uid == ::geteuid() && status.st_nlink == 1;
  if (!ours) return std::nullopt;
  const auto text = read_descriptor(fd.get(), largest_journal);
  const auto files = text ? files_in(*text) : std::nullopt;
  if (!files) return std::nullopt;
  Mended out;
  const SignalsHeld held;
  for (const ChangedFile& file : *files) {
    const auto at = file_within(*root, root->path() + "/" + file.name);
    const auto present = at ? at->folder.read(at->name) : std::nullopt;
    if (file.before ? present == file.before : !present) continue;
    if (!file.before) {
      if (present != file.after) continue;  // somebody's own by now
      ::unlinkat(at->folder.descriptor(), at->name.c_str(), 0);
      out.restored.push_back(file.name);
      continue;
    }
    const bool half_done = present && (*present == file.after || is_torn(*present, file));
    const bool restored = half_done && rewrite_file(*at, *present, *file.before, file.name);
    (restored ? out.restored : out.left).push_back(file.name);
  }
  // what is left may want it to be looked at
  const char* kept = ".greymet-journal.left";
  out.left.empty() ? ::unlinkat(root->descriptor(), journal_name, 0)
                   : ::renameat(root->descriptor(), journal_name, root->descriptor(), kept);
  return out;
}

}  // namespace greymet::files
