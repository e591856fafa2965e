#include "files/zip_member.h"

#include <memory>

#include <zip.h>

namespace greymet::files {

std::optional<std::string> zip_member(std::string_view archive, const std::string& member,
                                      std::size_t most) {
  zip_error_t error;
  zip_error_init(&error);
  zip_source_t* source = zip_source_buffer_create(archive.data(), archive.size(), 0, &error);
  if (source == nullptr) return std::nullopt;
  zip_t* opened = zip_open_from_source(source, ZIP_RDONLY, &error);
  if (opened == nullptr) {
    zip_source_free(source);
    return std::nullopt;
  }
  const std::unique_ptr<zip_t, void (*)(zip_t*)> zip(opened, zip_discard);
  zip_stat_t about;
  zip_stat_init(&about);
  if (zip_stat(opened, member.c_str(), 0, &about) != 0 || (about.valid & ZIP_STAT_SIZE) == 0 ||
      about.size > most) {
    return std::nullopt;
  }
  const std::unique_ptr<zip_file_t, int (*)(zip_file_t*)> file(zip_fopen(opened, member.c_str(), 0),
                                                               zip_fclose);
  if (!file) return std::nullopt;
  std::string content(about.size, '\0');
  // what unpacks to another size than was announced is damaged, or meant to harm
  const zip_int64_t got = zip_fread(file.get(), content.data(), content.size());
  if (got < 0 || static_cast<std::size_t>(got) != content.size()) return std::nullopt;
  return content;
}

}  // namespace greymet::files
