// Whatever is written to a terminal stays within its width: lines that are longer are folded at
// blanks, with what follows below the column that it belongs to.
#pragma once

#include <cstddef>
#include <ostream>
#include <streambuf>
#include <string>

namespace greymet::cli {

// What is written to this stream from now on is left as it is: documents for programs, which a fold
// would break. Of no effect where nothing folds.
void write_unfolded(std::ostream& stream);

// Stands before the buffer of a stream for as long as it lives. Lines that move the cursor pass as
// they are, and so do rows of a plan, which are there to be copied. Colours take no room. One
// thread.
class FoldingBuffer final : public std::streambuf {
 public:
  // `width`: columns, 20 at least.
  FoldingBuffer(std::ostream& stream, std::size_t width);
  FoldingBuffer(const FoldingBuffer&) = delete;
  FoldingBuffer& operator=(const FoldingBuffer&) = delete;
  ~FoldingBuffer() override;

 protected:
  int_type overflow(int_type c) override;
  std::streamsize xsputn(const char* text, std::streamsize size) override;
  int sync() override;

 private:
  void take(char c);
  void pass_line();

  std::ostream& stream_;
  std::streambuf* to_;
  std::size_t width_;
  std::string line_;
  std::size_t column_ = 0;  // what of this line is out already
  bool failed_ = false;
};

// The line, without its end, as lines that are no wider; `column`: where it begins.
[[nodiscard]] std::string folded_line(const std::string& line, std::size_t width,
                                      std::size_t column = 0);

}  // namespace greymet::cli
