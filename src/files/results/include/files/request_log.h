// The log of finished requests: one CSV row each, in the order in which they ended.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "engine/master.h"
#include "files/background_writer.h"
#include "files/output_folder.h"

namespace greymet::files {

// "time_s,transaction,slave,fc,tries,outcome,exception,response_ms,words,released_s,started_s,
// duration_ms,reason"
[[nodiscard]] std::string request_log_header();
// One row with its line end. `words` are hexadecimal, a blank between two; empty without data.
// `duration_ms` is from its turn to its end, of all that were sent; `reason` why it was not good.
[[nodiscard]] std::string request_log_row(const model::ResolvedPlan& plan,
                                          const engine::RequestRecord& record);

// Writes the log into a folder while it grows. Rows are complete lines, handed to the operating
// system twenty times a second as long as tick() is called as often, so that what a killed program
// leaves can be read. Nobody waits for the disk but where that was asked for.
class RequestLog {
 public:
  [[nodiscard]] static tl::expected<RequestLog, FileError> begin(OutputFolder& folder,
                                                                 const std::string& name,
                                                                 const model::ResolvedPlan& plan,
                                                                 OnSlowDisk on_slow_disk);
  // After a failure nothing more is written.
  void add(const engine::RequestRecord& record);
  // One of another exchange over the same wires, whose clock began at `start` of the run.
  void add_later(const model::ResolvedPlan& plan, engine::RequestRecord record,
                 model::Duration start);
  // To be called several times a second; `now` is the time of the run.
  void tick(model::Duration now);
  // A failure that nobody has been told yet, as soon as it has happened.
  [[nodiscard]] std::optional<FileError> new_failure();
  // Writes what waits. The first failure of all, if there was one.
  [[nodiscard]] std::optional<FileError> finish();

 private:
  RequestLog(const model::ResolvedPlan& plan, std::unique_ptr<BackgroundWriter> writer)
      : plan_(&plan), writer_(std::move(writer)) {}
  void hand_over();

  const model::ResolvedPlan* plan_;
  std::unique_ptr<BackgroundWriter> writer_;
  std::string waiting_;
  model::Duration handed_over_at_{};
  bool failure_was_told_ = false;
};

}  // namespace greymet::files
