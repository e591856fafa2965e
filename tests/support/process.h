// Running the built program on files in a temporary folder.
#pragma once

#include <memory>
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

// The same on a terminal of so many columns, without colours; all it shows is in `out`, without the
// sequences that move the cursor.
[[nodiscard]] Outcome run_on_terminal(const std::string& program,
                                      const std::vector<std::string>& arguments,
                                      const std::string& folder, unsigned short columns);

class TemporaryFolder;

// A program that goes on while the test does; killed with the object if it has not ended.
class BackgroundProgram {
 public:
  BackgroundProgram(const std::string& program, const std::vector<std::string>& arguments,
                    const std::string& folder);
  BackgroundProgram(const BackgroundProgram&) = delete;
  BackgroundProgram& operator=(const BackgroundProgram&) = delete;
  ~BackgroundProgram();
  // SIGINT, SIGKILL ...
  void signal(int number) const;
  // Waits for its end.
  [[nodiscard]] Outcome wait();

 private:
  std::unique_ptr<TemporaryFolder> captured_;
  int child_ = 0;
  bool ended_ = false;
};

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
  // Waits some seconds for a file.
  [[nodiscard]] bool gets(const std::string& name) const;

 private:
  std::string path_;
};

}  // namespace greymet::test
