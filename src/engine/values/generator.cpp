#include "engine/generator.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <limits>
#include <numbers>
#include <optional>
#include <vector>

#include <fmt/format.h>

#include "model/duration_text.h"

namespace greymet::engine {

using model::Point;
using model::TypeKind;

namespace {

constexpr double ns_per_s = 1e9;

// A number from 0 to 1 that looks random and depends on both alone (splitmix64).
double hashed(std::uint64_t seed, std::uint64_t n) {
  std::uint64_t z = seed + (n + 1) * 0x9E3779B97F4A7C15ULL;
  z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
  z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
  z ^= z >> 31;
  return static_cast<double>(z >> 11) / 9007199254740992.0;  // 2^53
}

// A walk made of waves, so that any instant is known without those before it: the steepest slope
// is about one step a second.
double walk(const Generator& g, double seconds) {
  const double half = (g.b - g.a) / 2;
  if (half <= 0) return g.a;
  const double turns = std::min(0.25, std::max(1e-6, g.step / half / 4));  // a second, in radians
  double sum = 0;
  constexpr std::array<double, 3> parts{1.0, 1.618, 2.414};
  for (std::size_t i = 0; i < parts.size(); ++i) {
    sum += std::sin(turns * parts[i] * seconds + 2 * std::numbers::pi * hashed(g.seed, i));
  }
  return g.a + half + half * sum / static_cast<double>(parts.size());
}

std::vector<std::string_view> words_of(std::string_view text) {
  std::vector<std::string_view> words;
  while (!text.empty()) {
    const std::size_t begin = text.find_first_not_of(" \t");
    if (begin == std::string_view::npos) break;
    const std::size_t end = std::min(text.size(), text.find_first_of(" \t", begin));
    words.push_back(text.substr(begin, end - begin));
    text = text.substr(end);
  }
  return words;
}

std::optional<double> number(std::string_view text) {
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size() || !std::isfinite(value)) {
    return std::nullopt;
  }
  return value;
}

struct Form {
  std::string_view name;
  GeneratorKind kind;
  std::string_view parameters;  // n: a number, s: a step, t: a time
  std::string_view example;
};
constexpr std::array<Form, 6> forms{{
    {"constant", GeneratorKind::constant, "n", "constant 5"},
    {"ramp", GeneratorKind::ramp, "nnt", "ramp 0 100 60s"},
    {"sine", GeneratorKind::sine, "nnt", "sine 20 80 30s"},
    {"walk", GeneratorKind::walk, "nns", "walk 40 60 0.5"},
    {"count", GeneratorKind::count, "st", "count 1 1s"},
    {"square", GeneratorKind::square, "nnt", "square 0 1 4s"},
}};

// Largest raw value of a type, as far as a double tells it exactly.
double most_of(model::DataType type) {
  switch (type.kind) {
    case TypeKind::i16: return 32767;
    case TypeKind::bcd16: return 9999;
    case TypeKind::u16:
    case TypeKind::bits: return 65535;
    case TypeKind::bcd32: return 99999999;
    default: return 1e6;
  }
}

}  // namespace

std::pair<double, double> Generator::reach() const {
  constexpr double endless = std::numeric_limits<double>::infinity();
  switch (kind) {
    case GeneratorKind::constant: return {a, a};
    case GeneratorKind::count:
      return step < 0 ? std::pair(-endless, a) : std::pair(a, step > 0 ? endless : a);
    case GeneratorKind::ramp:
    case GeneratorKind::sine:
    case GeneratorKind::walk:
    case GeneratorKind::square: break;
  }
  return std::minmax(a, b);
}

double Generator::value_at(Duration now) const {
  const double seconds = static_cast<double>(now.count()) / ns_per_s;
  const double turn = period > Duration{} ? static_cast<double>((now % period).count()) /
                                                static_cast<double>(period.count())
                                          : 0;
  switch (kind) {
    case GeneratorKind::constant: return a;
    case GeneratorKind::ramp: return a + (b - a) * turn;
    case GeneratorKind::sine:
      return (a + b) / 2 + (b - a) / 2 * std::sin(2 * std::numbers::pi * (turn + hashed(seed, 0)));
    case GeneratorKind::walk: return walk(*this, seconds);
    case GeneratorKind::count:
      return period > Duration{} ? a + step * static_cast<double>(now / period) : a;
    case GeneratorKind::square: return std::fmod(turn + hashed(seed, 0), 1.0) < 0.5 ? a : b;
  }
  return a;
}

tl::expected<Generator, std::string> generator_from(std::string_view text) {
  const auto words = words_of(text);
  const auto form = std::find_if(forms.begin(), forms.end(), [&](const Form& f) {
    return !words.empty() && words[0] == f.name;
  });
  if (form == forms.end()) {
    return tl::unexpected(
        std::string("a value, or one of constant, ramp, sine, walk, count and square, such as "
                    "'sine 20 80 30s'"));
  }
  const auto wrong = [&] { return tl::unexpected(fmt::format("such as '{}'", form->example)); };
  if (words.size() != 1 + form->parameters.size()) return wrong();
  Generator out;
  out.kind = form->kind;
  std::size_t numbers = 0;
  for (std::size_t i = 0; i < form->parameters.size(); ++i) {
    if (form->parameters[i] == 't') {
      const auto time = model::parse_duration(words[i + 1]);
      if (!time || *time <= Duration{}) return wrong();
      out.period = *time;
      continue;
    }
    const auto value = number(words[i + 1]);
    if (!value) return wrong();
    if (form->parameters[i] == 's') {
      out.step = *value;
    } else {
      (numbers++ == 0 ? out.a : out.b) = *value;
    }
  }
  return out;
}

Generator default_generator(const Point& point, bool moves) {
  Generator out;
  for (const char c : point.name) out.seed = out.seed * 131 + static_cast<unsigned char>(c);
  const double most = most_of(point.type) * std::abs(point.factor) + point.offset;
  const double low = point.min.value_or(std::min(0.0, point.offset));
  const double high = point.max.value_or(std::min(std::max(low + 1, most), low + 100));
  out.a = low;
  out.b = high;
  if (!moves || point.type.kind == TypeKind::text) return out;
  const auto between = [&](double from, double to) {
    return Duration(
        static_cast<std::int64_t>(ns_per_s * (from + (to - from) * hashed(out.seed, 7))));
  };
  if (point.type.kind == TypeKind::boolean) {
    out.kind = GeneratorKind::square;
    out.a = 0;
    out.b = 1;
    out.period = between(6, 20);
    return out;
  }
  const bool counts = point.unit == "kWh" || point.unit == "MWh" || point.unit == "h" ||
                      point.unit == "m3" || point.unit == "t" || point.unit == "kvarh";
  if (counts) {
    out.kind = GeneratorKind::count;
    out.step = point.factor;
    out.period = between(1, 5);
    return out;
  }
  out.kind = GeneratorKind::sine;
  const double margin = (high - low) / 4;  // plants do not go to their limits
  out.a = low + margin;
  out.b = high - margin;
  out.period = between(20, 90);
  return out;
}

}  // namespace greymet::engine
