// The plan as its files declare it: typed values, each with its place. Most readers want
// model/resolved_plan.h instead, where names and addresses have been looked up.
#pragma once

#include <string>
#include <vector>

#include "model/alike.h"
#include "model/controller.h"
#include "model/fact.h"
#include "model/index.h"
#include "model/network.h"
#include "model/range.h"
#include "model/register_map.h"
#include "model/subject.h"
#include "model/transaction.h"

namespace greymet::model {

// A bit that one controller toggles so that another sees it is alive.
struct Heartbeat {
  std::string name;
  Range place;
  Declared<std::string> from;
  Declared<std::string> bit;
  Declared<Duration> toggle;
  Declared<std::string> to;
  Declared<std::string> seen;  // where the consumer looks
  Declared<Duration> watch;
  Declared<Duration> react;
  Declared<std::int64_t> lost;
  Declared<OnLoss> on_loss;
};

// A value's way from where it is measured to where it is used, with the age it may have.
struct Path {
  std::string name;
  Range place;
  Declared<std::string> from;
  Declared<std::string> to;
  Declared<Duration> budget;
};

// A finding that somebody has looked at and accepts, and why.
struct Accept {
  Range place;
  Declared<std::string> rule;
  Declared<std::string> at;
  std::string
      written_at;  // where `at` names something that is written once for several; else empty
  Declared<std::string> why;
};

// Everything the plan's files say. `files` are the names as they should be shown; index 0 is the
// plan itself.
struct Plan {
  std::vector<std::string> files;
  Declared<std::string> title;
  Declared<std::string> revision;
  Indexed<Controller, ControllerIndex> controllers;
  Indexed<Line, LineIndex> lines;
  Indexed<Gateway, GatewayIndex> gateways;
  Indexed<Slave, SlaveIndex> slaves;
  std::vector<RegisterMap> maps;
  std::vector<Transaction> transactions;
  std::vector<Copy> copies;
  std::vector<Want> wants;
  std::vector<Heartbeat> heartbeats;
  std::vector<Path> paths;
  std::vector<Accept> accepts;
  std::vector<AlikeSlaves> alike;  // slaves written as one
  WrittenAs written_as;            // them and their rows, see model/unfold_alike.h
  Measurement measured;            // counts in place of what is stated; empty: nothing was measured
};

// What findings call a thing that has a name of its own.
[[nodiscard]] inline Subject subject_of(const Controller& c) {
  return {SubjectKind::controller, c.name};
}
[[nodiscard]] inline Subject subject_of(const Line& l) {
  return {SubjectKind::line, l.name};
}
[[nodiscard]] inline Subject subject_of(const Gateway& g) {
  return {SubjectKind::gateway, g.name};
}
[[nodiscard]] inline Subject subject_of(const Slave& s) {
  return {SubjectKind::slave, s.name};
}
[[nodiscard]] inline Subject subject_of(const Transaction& t) {
  return {SubjectKind::transaction, t.name};
}
[[nodiscard]] inline Subject subject_of(const Heartbeat& h) {
  return {SubjectKind::heartbeat, h.name};
}
[[nodiscard]] inline Subject subject_of(const Path& p) {
  return {SubjectKind::path, p.name};
}

[[nodiscard]] std::string_view to_string(OnLoss reaction);
// "bits-to-words", "words-to-bits"
[[nodiscard]] std::string_view to_string(Packing packing);

}  // namespace greymet::model
