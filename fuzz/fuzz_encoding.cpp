// Any bytes as a text from elsewhere: UTF-8 without NULs comes out, or one line says at which byte
// it is none; and what is UTF-8 already comes out as it is.
#include "files/text_encoding.h"
#include "input.h"
#include "model/utf8_text.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string bytes = fuzz::text_of(data, size);
  const auto decoded = files::decode_text(bytes);
  if (!decoded) {
    fuzz::require(decoded.error().message.starts_with("is no text: byte "));
    return 0;
  }
  fuzz::require(model::first_bad_byte(decoded->text) == std::string::npos);
  fuzz::require(decoded->text.size() <= 3 * bytes.size());
  if (decoded->encoding == files::Encoding::utf8) fuzz::require(bytes.ends_with(decoded->text));
  return 0;
}
