// Value tree -> declared plan: one function a table of the plan format.
#pragma once

#include "files/value_tree.h"
#include "model/finding.h"
#include "model/plan.h"

namespace greymet::files {

// The tables that are read one by one. Each reports what does not fit and leaves it out.
[[nodiscard]] model::Controller decode_controller(const std::string& name, const Value& table,
                                                  model::Findings& findings);
[[nodiscard]] model::ControllerModel decode_model(const std::string& file, const Value& table,
                                                  model::Findings& findings);
[[nodiscard]] model::Line decode_line(const std::string& name, const Value& table,
                                      model::Findings& findings);
[[nodiscard]] model::Gateway decode_gateway(const std::string& name, const Value& table,
                                            model::Findings& findings);
[[nodiscard]] model::Slave decode_slave(const std::string& name, const Value& table,
                                        model::Findings& findings);
[[nodiscard]] model::Transaction decode_transaction(const Value& table, std::size_t number,
                                                    model::Findings& findings);
[[nodiscard]] model::Copy decode_copy(const Value& table, std::size_t number,
                                      model::Findings& findings);
[[nodiscard]] model::Want decode_want(const Value& table, std::size_t number,
                                      model::Findings& findings);
[[nodiscard]] model::Heartbeat decode_heartbeat(const Value& table, std::size_t number,
                                                model::Findings& findings);
[[nodiscard]] model::Path decode_path(const Value& table, std::size_t number,
                                      model::Findings& findings);
[[nodiscard]] model::Accept decode_accept(const Value& table, std::size_t number,
                                          model::Findings& findings);

// The whole plan but its maps, models and transaction table, whose files the caller reads.
// `table_file` receives `exchange.table`. The rows of lists are released as they are decoded: hand
// the root over where its memory matters.
[[nodiscard]] model::Plan decode_plan(Value root, model::Declared<std::string>& table_file,
                                      model::Findings& findings);

}  // namespace greymet::files
