#include "files/output_folder.h"

#include <fcntl.h>
#include <openssl/evp.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <filesystem>
#include <map>
#include <system_error>
#include <vector>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::files {
namespace {

namespace fs = std::filesystem;
constexpr std::string_view manifest_name = ".greymet-files";
constexpr std::size_t digest_length = 64;  // hexadecimal digits of SHA-256
constexpr unsigned for_all_to_read = 0666;
// stands in the manifest for the digest of a file that grew
constexpr std::string_view growing_mark =
    "****************************************************************";
static_assert(growing_mark.size() == digest_length);

tl::unexpected<FileError> refuse_result(std::string message) {
  return tl::unexpected(FileError{std::move(message)});
}

// Which contents of a file are ours: what was written last, and what was about to be.
using Manifest = std::map<std::string, std::set<std::string>>;

Manifest read_manifest(const Folder& folder) {
  Manifest known;
  const std::string text = folder.read(std::string(manifest_name)).value_or(std::string());
  std::string_view rest = text;
  while (!rest.empty()) {
    const std::size_t end = std::min(rest.find('\n'), rest.size());
    const std::string_view line = rest.substr(0, end);
    if (line.size() > digest_length + 2) {
      known[std::string(line.substr(digest_length + 2))].emplace(line.substr(0, digest_length));
    }
    rest.remove_prefix(std::min(end + 1, rest.size()));
  }
  return known;
}

// As the user's own files are made: the mask of the process counts.
unsigned usual_mode() {
  const mode_t mask = ::umask(0);
  ::umask(mask);
  return for_all_to_read & ~mask;
}

tl::expected<void, FileError> save(const Folder& folder, const Manifest& known) {
  std::string text;
  for (const auto& [name, digests] : known) {
    for (const std::string& digest : digests) text += fmt::format("{}  {}\n", digest, name);
  }
  return folder.replace(std::string(manifest_name), text, usual_mode());
}

// The parts of "a/b.txt"; empty if one of them is no name.
std::vector<std::string> parts_of(std::string_view name) {
  std::vector<std::string> parts;
  while (true) {
    const std::size_t slash = name.find('/');
    const std::string_view part = name.substr(0, slash);
    const bool control =
        std::any_of(part.begin(), part.end(), [](unsigned char c) { return c < 0x20; });
    if (part.empty() || part == "." || part == ".." || part == manifest_name || control) return {};
    parts.emplace_back(part);
    if (slash == std::string_view::npos) return parts;
    name.remove_prefix(slash + 1);
  }
}

std::string in_small_letters(std::string_view name) {
  std::string small(name);
  for (char& c : small) {
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  }
  return small;
}

}  // namespace

std::string sha256_hex(std::string_view content) {
  std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
  unsigned length = 0;
  EVP_Digest(content.data(), content.size(), digest.data(), &length, EVP_sha256(), nullptr);
  std::string hex;
  for (unsigned i = 0; i < length; ++i) hex += fmt::format("{:02x}", digest[i]);
  return hex;
}

tl::expected<OutputFolder, FileError> OutputFolder::open(const std::string& path, bool force) {
  std::error_code error;
  fs::create_directories(path, error);
  auto folder = Folder::open(path);
  if (!folder && error) return refuse_result(fmt::format("{}: {}", path, error.message()));
  if (!folder) return tl::unexpected(folder.error());
  return OutputFolder(std::move(*folder), force);
}

tl::expected<void, FileError> OutputFolder::write(const std::string& name,
                                                  std::string_view content) {
  return put(name, content, How::at_once);
}

tl::expected<Descriptor, FileError> OutputFolder::begin_growing(const std::string& name,
                                                                std::string_view content) {
  if (auto written = put(name, content, How::grows); !written)
    return tl::unexpected(written.error());
  Descriptor fd(
      ::openat(folder_.descriptor(), name.c_str(), O_WRONLY | O_APPEND | O_CLOEXEC | O_NOFOLLOW));
  if (!fd.open()) return system_failure(fmt::format("{}/{}", folder_.path(), name), errno);
  return fd;
}

tl::expected<void, FileError> OutputFolder::put(const std::string& name, std::string_view content,
                                                How how) {
  const std::string path = fmt::format("{}/{}", folder_.path(), name);
  const std::vector<std::string> parts = parts_of(name);
  if (parts.empty()) return refuse_result(path + ": is no name for a result");
  if (!names_.insert(in_small_letters(name)).second) {
    return refuse_result(path + ": two results would have this name");
  }
  // a descriptor of its own: the lock goes with it
  auto own = locked_ ? tl::expected<Folder, FileError>(tl::unexpected(FileError{}))
                     : Folder::open(folder_.path());
  if (!own && !locked_) return tl::unexpected(own.error());
  if (!locked_) {
    if (auto locked = own->lock(); !locked) return locked;
    if (how == How::staged) locked_ = std::move(*own);
  }
  const Folder* root = locked_ ? &*locked_ : &*own;
  // under a lock that is kept they may be what was staged
  const bool clean = staged_.empty();
  if (clean) root->remove_leftovers();
  std::vector<Folder> way;
  way.reserve(parts.size());
  const Folder* folder = root;
  for (std::size_t i = 0; i + 1 < parts.size(); ++i) {
    auto next = folder->subfolder(parts[i], true);
    if (!next) return tl::unexpected(next.error());
    if (clean) next->remove_leftovers();
    way.push_back(std::move(*next));
    folder = &way.back();
  }
  Manifest known = read_manifest(*root);
  std::set<std::string>& ours = known[name];
  const std::string& last = parts.back();
  const Standing standing = folder->standing(last);
  const auto present = folder->read(last);
  const std::string digest = present ? sha256_hex(*present) : std::string();
  if (standing != Standing::nothing && !force_ && !(present && *present == content)) {
    if (!ours.contains(digest) && !ours.contains(std::string(growing_mark))) {
      return refuse_result(fmt::format(
          "{}: exists, and {}; --force overwrites it", path,
          ours.empty() ? "greymet did not write it" : "was changed since greymet wrote it"));
    }
  }
  // the intention first: whatever happens after it, one of these contents will stand there
  const bool was_ours = ours.contains(digest);
  ours.clear();
  if (was_ours) ours.insert(digest);
  ours.insert(how == How::grows ? std::string(growing_mark) : sha256_hex(content));
  if (auto saved = save(*root, known); !saved) return saved;
  if (how != How::staged) return folder->replace(last, content, usual_mode());
  const SignalsHeld held;
  auto aside = write_aside(*folder, content);
  if (!aside) return tl::unexpected(aside.error());
  // a descriptor of its own: that of the way goes with the lock
  auto stays = Folder::open(folder->path());
  if (!stays) return tl::unexpected(stays.error());
  staged_.push_back({std::move(*stays), std::move(*aside), last});
  return {};
}

tl::expected<void, FileError> OutputFolder::stage(const std::string& name,
                                                  std::string_view content) {
  return put(name, content, How::staged);
}

tl::expected<void, FileError> OutputFolder::commit() {
  const SignalsHeld held;
  const unsigned mode = usual_mode();
  for (const Staged& each : staged_) {
    if (::fchmodat(each.folder.descriptor(), each.aside.c_str(), mode, 0) != 0) {
      return system_failure(each.folder.path() + "/" + each.name, errno);
    }
  }
  while (!staged_.empty()) {
    const Staged& each = staged_.back();
    const int at = each.folder.descriptor();
    if (::renameat(at, each.aside.c_str(), at, each.name.c_str()) != 0) {
      return system_failure(each.folder.path() + "/" + each.name, errno);
    }
    staged_.pop_back();
  }
  locked_.reset();
  return {};
}

OutputFolder::~OutputFolder() {
  for (const Staged& each : staged_) ::unlinkat(each.folder.descriptor(), each.aside.c_str(), 0);
}

}  // namespace greymet::files
