#include "engine/responder.h"

#include <utility>

namespace greymet::engine {

void Responder::tell_all(const Question& question, model::LineIndex line) {
  const auto& slaves = plan_.exchange.slaves;
  for (std::size_t s = 0; s < slaves.size(); ++s) {
    if (slaves[s].line != line) continue;
    const model::Target slave{false, s, 0};
    const Effects effects = faults_.at(slave, question.faults_at);
    if (effects.silent || effects.exception) continue;
    (void)field_.answer(question.at, slave, question.frame.pdu);
  }
}

std::optional<FaultyReply> Responder::ask(const Question& question, const model::Target& target,
                                          std::mt19937_64& random) {
  const Effects effects = faults_.at(target, question.faults_at);
  const bool idle = effects.silent || effects.exception;
  auto reply = idle ? std::optional<modbus::Bytes>(modbus::Bytes{})
                    : field_.answer(question.at, target, question.frame.pdu);
  if (!reply) return std::nullopt;
  FaultyReply out = make_reply(effects, question.frame, question.bytes, std::move(*reply),
                               question.framing, question.timeout, random);
  if (!out.reply.empty()) ++counts_.replies;
  if (!out.reply.empty() && out.refusal) ++counts_.exceptions;
  return out;
}

FaultyReply Responder::answer(const Question& question, const model::Target& target,
                              std::mt19937_64& random) {
  return ask(question, target, random).value_or(FaultyReply());
}

Responder::FromLine Responder::answer_from_line(const Question& question,
                                                std::optional<model::LineIndex> line,
                                                bool answers_for_silent, std::mt19937_64& random) {
  const std::uint8_t unit = question.frame.unit;
  if (line && unit == 0) {
    tell_all(question, *line);
    return {};
  }
  const auto target = line ? field_.on_line(*line, unit) : std::nullopt;
  if (target && !faults_.at(*target, question.faults_at).silent) {
    if (auto reply = ask(question, *target, random)) {
      reply->first.clear();
      return {std::move(*reply), true};
    }
  }
  FromLine out;
  out.in_time = false;
  if (!answers_for_silent) return out;
  const auto function = std::to_integer<std::uint8_t>(question.frame.pdu[0]);
  const auto refusal = modbus::encode_exception(
      {function,
       static_cast<std::uint8_t>(modbus::ExceptionCode::gateway_target_failed_to_respond)});
  const auto bytes =
      modbus::encode_frame({unit, question.frame.transaction, refusal}, question.framing);
  if (!bytes) return out;
  out.reply.reply = *bytes;
  out.reply.refusal = true;
  ++counts_.exceptions;
  return out;
}

}  // namespace greymet::engine
