// Running the built program on files in a temporary folder.
#pragma once

#include <string>
#include <vector>

namespace greymet::test {

// What a process left behind.
struct Outcome {
  int status = -1;
  std::string out;
  std::string err;
};

// Runs a program and waits for it.
[[nodiscard]] Outcome run_program(const std::string& program,
                                  const std::vector<std::string>& arguments,
                                  const std::string& folder);

// A folder that goes away with the object.
class TemporaryFolder {
 public:
  TemporaryFolder();
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  ~TemporaryFolder();
  [[nodiscard]] const std::string& path() const { return path_; }
  [[nodiscard]] std::string file(const std::string& name) const { return path_ + "/" + name; }
  void write(const std::string& name, const std::string& content) const;
  [[nodiscard]] std::string read(const std::string& name) const;
  [[nodiscard]] bool has(const std::string& name) const;

 private:
  std::string path_;
};

}  // namespace greymet::test
