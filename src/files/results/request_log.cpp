#include "files/request_log.h"

#include <fmt/format.h>

#include "files/csv_text.h"
#include "modbus/pdu.h"
#include "model/duration_text.h"

namespace greymet::files {

using engine::Outcome;
using engine::RequestRecord;

std::string request_log_header() {
  CsvWriter csv;
  csv.row({"time_s", "transaction", "slave", "fc", "tries", "outcome", "exception", "response_ms",
           "words", "released_s", "started_s", "duration_ms", "reason"});
  return csv.take();
}

namespace {

std::string reason_of(const RequestRecord& record) {
  if (record.outcome == Outcome::exception) {
    return std::string(modbus::exception_name(record.exception));
  }
  if (record.outcome == Outcome::good) {
    return record.tries > 1 ? fmt::format("answered in try {}", record.tries) : std::string();
  }
  return std::string(to_string(record.cause));
}

}  // namespace

std::string request_log_row(const model::ResolvedPlan& plan, const RequestRecord& record) {
  const model::ExchangeTransaction& t = *plan.exchange.find(record.transaction);
  const bool answered = record.outcome == Outcome::good || record.outcome == Outcome::exception;
  std::string words;
  if (record.outcome == Outcome::good) {
    for (const std::uint16_t word : record.words) {
      words += fmt::format("{}{:04X}", words.empty() ? "" : " ", word);
    }
  }
  CsvWriter csv;
  csv.row({fmt::format("{:.6f}", model::to_ms(record.end) / 1000), t.name,
           plan.target_name(t.target), fmt::format("{}", model::number_of(t.function)),
           fmt::format("{}", record.tries), std::string(to_string(record.outcome)),
           record.outcome == Outcome::exception ? fmt::format("{}", record.exception) : "",
           answered ? fmt::format("{:.3f}", model::to_ms(record.end - record.release)) : "", words,
           fmt::format("{:.6f}", model::to_ms(record.release) / 1000),
           fmt::format("{:.6f}", model::to_ms(record.start) / 1000),
           record.tries > 0 ? fmt::format("{:.3f}", model::to_ms(record.end - record.start)) : "",
           reason_of(record)});
  return csv.take();
}

tl::expected<RequestLog, FileError> RequestLog::begin(OutputFolder& folder, const std::string& name,
                                                      const model::ResolvedPlan& plan,
                                                      OnSlowDisk on_slow_disk) {
  auto fd = folder.begin_growing(name, request_log_header());
  if (!fd) return tl::unexpected(fd.error());
  auto writer =
      std::make_unique<BackgroundWriter>(std::move(*fd), folder.path() + "/" + name, on_slow_disk);
  return RequestLog(plan, std::move(writer));
}

void RequestLog::add(const RequestRecord& record) {
  constexpr std::size_t most_at_once = std::size_t{1} << 16;
  waiting_ += request_log_row(*plan_, record);
  if (waiting_.size() >= most_at_once) hand_over();
}

void RequestLog::add_later(const model::ResolvedPlan& plan, RequestRecord record,
                           model::Duration start) {
  record.release += start;
  record.start += start;
  record.replied += start;
  record.as_of += start;
  record.end += start;
  waiting_ += request_log_row(plan, record);
}

void RequestLog::tick(model::Duration now) {
  if (waiting_.empty() || now - handed_over_at_ < std::chrono::milliseconds(50)) return;
  handed_over_at_ = now;
  hand_over();
}

void RequestLog::hand_over() {
  writer_->append(waiting_);
  waiting_.clear();
}

std::optional<FileError> RequestLog::new_failure() {
  if (failure_was_told_) return std::nullopt;
  auto failure = writer_->failure();
  failure_was_told_ = failure.has_value();
  return failure;
}

std::optional<FileError> RequestLog::finish() {
  hand_over();
  return writer_->finish();
}

}  // namespace greymet::files
