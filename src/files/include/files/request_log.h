// The log of finished requests: one CSV row each, in the order in which they ended.
#pragma once

#include <string>

#include "engine/master.h"
#include "files/output_folder.h"

namespace greymet::files {

// "time_s,transaction,slave,fc,tries,outcome,exception,response_ms,words"
[[nodiscard]] std::string request_log_header();
// One row with its line end. `words` are hexadecimal, a blank between two; empty without data.
[[nodiscard]] std::string request_log_row(const model::ResolvedPlan& plan,
                                          const engine::RequestRecord& record);

// Writes the log into a folder while it grows. Rows are complete lines, handed to the operating
// system at least once a second, so that what a killed program leaves can be read.
class RequestLog {
 public:
  [[nodiscard]] static tl::expected<RequestLog, FileError> begin(OutputFolder& folder,
                                                                 const std::string& name,
                                                                 const model::ResolvedPlan& plan);
  // `now` is the time of the run. After a failure nothing more is written.
  void add(const engine::RequestRecord& record, model::Duration now);
  // What has not been written yet. The first failure of all, if there was one.
  [[nodiscard]] tl::expected<void, FileError> flush();

 private:
  RequestLog(const model::ResolvedPlan& plan, Descriptor fd, std::string path)
      : plan_(&plan), fd_(std::move(fd)), path_(std::move(path)) {}
  const model::ResolvedPlan* plan_;
  Descriptor fd_;
  std::string path_;
  std::string waiting_;
  model::Duration written_at_{};
  std::optional<FileError> failure_;
};

}  // namespace greymet::files
