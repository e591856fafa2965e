#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "checks/symptoms.h"
#include "cli/explanations.h"
#include "cli/print.h"
#include "cli/word_book.h"
#include "files/answers_json.h"
#include "files/table_csv.h"
#include "line/command_line.h"
#include "model/nearest_name.h"
#include "model/utf8_text.h"
#include "tables/plan_tables.h"

namespace greymet::cli {
namespace {

std::string indented(std::string_view text) {
  std::string out;
  std::size_t from = 0;
  while (from < text.size()) {
    const std::size_t end = std::min(text.find('\n', from), text.size());
    out += fmt::format("    {}\n", text.substr(from, end - from));
    from = end + 1;
  }
  return out;
}

std::string entry_text(const checks::RuleEntry& e, const Terminal& terminal) {
  const std::string head =
      fmt::format("{} ({}): {}", to_string(e.code), to_string(e.severity), e.title);
  std::string text = tinted(terminal, Tint::bold, head) + "\n\n";
  text += folded(e.why, 0, 0, terminal.width) + "\n\nwrong:\n" + indented(e.wrong) + "\nright:\n" +
          indented(e.right) + "\nfix: " + folded(e.remedy, 5, 5, terminal.width) + "\n";
  if (!e.clause.empty()) {
    text += fmt::format("\nstandard: {}\n", e.clause);
    text += tinted(terminal, Tint::dim, std::string(checks::standards_text())) + "\n";
  }
  return text;
}

std::string list_text(const std::vector<const checks::RuleEntry*>& entries,
                      const Terminal& terminal) {
  std::string text;
  const checks::RuleFamily* family = nullptr;
  for (const checks::RuleEntry* e : entries) {
    const checks::RuleFamily& own = checks::family_of(e->code);
    if (&own != family) {
      text +=
          fmt::format("{}{}\n", family == nullptr ? "" : "\n",
                      tinted(terminal, Tint::bold, fmt::format("{}: {}", own.letter, own.title)));
      family = &own;
    }
    text += fmt::format("  {} {:<8}{}\n", to_string(e->code), to_string(e->severity),
                        folded(e->title, 14, 14, terminal.width));
  }
  return text;
}

std::string upper(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(), [](char c) {
    return c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
  });
  return text;
}

std::string symptom_text(const checks::Symptom& symptom, const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold, std::string(symptom.title)) + "\n\n" +
                     folded(std::string(symptom.meaning), 0, 0, terminal.width) +
                     "\n\nlook, in this order:\n";
  std::size_t number = 0;
  for (const checks::Look& look : symptom.looks) {
    text +=
        fmt::format("{:>3}. {}\n", ++number, folded(std::string(look.at), 5, 5, terminal.width));
    if (!look.command.empty()) text += fmt::format("     $ {}\n", look.command);
  }
  return text;
}

std::string symptoms_text() {
  std::string text = "what is seen at the cabinet:\n";
  for (const checks::Symptom& each : checks::symptoms()) {
    text += fmt::format("  {:<13} {}\n", each.name, each.title);
  }
  return text +
         "greymet explain NAME says what it mostly means, and what to look at in which order\n";
}

// What speaks of the words that somebody asked with: the only answer itself, else what to ask.
std::string found_text(const std::vector<Explanation>& found, std::string_view asked,
                       const Terminal& terminal) {
  const Explanation& first = found.front();
  const bool is_plain = found.size() == 1 || first.weight > found[1].weight;
  std::string text;
  std::size_t from = 0;
  const checks::Symptom* const symptom = checks::symptom_named(first.name);
  if (first.is_symptom && is_plain && symptom != nullptr) {
    text = symptom_text(*symptom, terminal);
    from = 1;
    if (found.size() > 1) text += "\n";
  }
  if (found.size() > from) {
    text += from > 0 ? std::string("see also, with greymet explain NAME:\n")
                     : fmt::format("what speaks of '{}', with greymet explain NAME:\n",
                                   shown(asked.substr(0, 40)));
  }
  constexpr std::size_t most = 8;
  for (std::size_t i = from; i < std::min(found.size(), from + most); ++i) {
    text +=
        fmt::format("  {:<13} {}\n", found[i].name, folded(found[i].title, 16, 16, terminal.width));
  }
  if (found.size() > from + most) {
    text += fmt::format("  and {}\n", model::counted(found.size() - from - most, "other"));
  }
  return text;
}

std::string meanings_text(const std::vector<WordMeaning>& meanings, const Terminal& terminal) {
  std::string text;
  for (const WordMeaning& each : meanings) {
    text += fmt::format("{}{}\n  {}\n", text.empty() ? "" : "\n",
                        tinted(terminal, Tint::bold, each.title),
                        folded(each.text, 2, 2, terminal.width));
    if (!each.usual.empty()) {
      text += fmt::format("  if it is left out: {}\n", folded(each.usual, 21, 2, terminal.width));
    }
  }
  return text;
}

std::string words_text(const Terminal& terminal) {
  std::string text;
  for (const std::string& word : word_book().glossary_words()) {
    text += (text.empty() ? "" : ", ") + word;
  }
  return "words: " + folded(text, 7, 2, terminal.width) +
         "\ngreymet explain WORD says what it means here, and of a key of the plan what it does\n";
}

}  // namespace

int run_explain(const ExplainOptions& options, const Terminal& terminal) {
  if (options.code == "symptoms" && options.format == "markdown") {
    terminal.out << checks::symptoms_document();
    return exit_fine;
  }
  if (options.format == "text") {
    if (options.code == "words") {
      terminal.out << words_text(terminal);
      return exit_fine;
    }
    if (options.code == "symptoms") {
      terminal.out << symptoms_text();
      return exit_fine;
    }
    if (const checks::Symptom* symptom = checks::symptom_named(options.code)) {
      terminal.out << symptom_text(*symptom, terminal);
      return exit_fine;
    }
  }
  const std::string wanted = upper(options.code);
  std::vector<const checks::RuleEntry*> entries;
  for (const checks::RuleEntry& e : checks::catalogue()) {
    const std::string_view code = to_string(e.code);
    if (wanted.empty() || wanted == code || wanted == code.substr(0, 1)) entries.push_back(&e);
  }
  if (entries.empty()) {
    const auto meanings = word_book().meanings_of(options.code);
    if (!meanings.empty() && options.format == "text") {
      terminal.out << meanings_text(meanings, terminal);
      for (const Explanation& each : explanations_of(options.code)) {
        // a word that people use for what they see
        if (!each.is_symptom || each.weight < weight_of_name) continue;
        terminal.out << fmt::format("\nseen at the cabinet: greymet explain {} ({})\n", each.name,
                                    each.title);
        break;
      }
      return exit_fine;
    }
    const auto found = explanations_of(options.code);
    if (!found.empty() && options.format == "text") {
      terminal.out << found_text(found, options.code, terminal);
      return exit_fine;
    }
    const std::vector<std::string> words = word_book().words();
    const std::vector<std::string_view> known(words.begin(), words.end());
    terminal.err << fmt::format(
        "greymet: there is no rule, word or key '{}'{}; write e.g. greymet explain F09, a family "
        "such as F, what is seen: 02, silence, zeros (greymet explain symptoms), a word such as "
        "release (greymet explain words), or a key of the plan such as park\n",
        shown(options.code.substr(0, 40)), shown(model::did_you_mean(options.code, known)));
    return exit_usage;
  }
  if (options.format == "markdown") {
    terminal.out << checks::rules_document();
  } else if (options.format == "csv") {
    terminal.out << files::table_csv(tables::rules_table(entries));
  } else if (options.format == "json") {
    terminal.out << files::rules_json(entries);
  } else if (entries.size() == 1) {
    terminal.out << entry_text(*entries.front(), terminal);
  } else {
    terminal.out << list_text(entries, terminal);
  }
  return exit_fine;
}

Action declare_explain(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<ExplainOptions>();
  const auto words = std::make_shared<std::vector<std::string>>();
  command.add_option(
      "CODE", *words,
      "a rule such as F09, a family such as F; an exception such as 02, or what is seen, "
      "such as silence or zeros (symptoms lists them); a word such as release (words lists them), "
      "or a key of the plan such as park; else whatever speaks of these words; all rules if left "
      "out");
  add_format(command, options->format,
             {{"csv", "one line a rule"}, {"markdown", "docs/rules.md, all rules"}});
  return [options, words, &terminal] {
    options->code = fmt::format("{}", fmt::join(*words, " "));
    return run_explain(*options, terminal);
  };
}

}  // namespace greymet::cli
