#include "core/value/text.h"

#include <algorithm>
#include <charconv>
#include <cmath>

#include "core/base/error.h"

namespace zentil::value {
namespace {

/// sum = product { (+|-) product }; product = atom { (*|/) atom }; atom = [-] (number | "(" sum ")").
class Sum {
 public:
  explicit Sum(const std::string& text) : at_(text.data()), end_(text.data() + text.size()) {}
  bool whole(double& out) {
    out = sum();
    skip();
    return ok_ && at_ == end_ && std::isfinite(out);
  }

 private:
  void skip() {
    while (at_ < end_ && std::isspace(static_cast<unsigned char>(*at_))) ++at_;
  }
  bool take(char c) {
    skip();
    if (at_ == end_ || *at_ != c) return false;
    ++at_;
    return true;
  }
  double sum() {
    double v = product();
    for (;;) {
      if (take('+'))
        v += product();
      else if (take('-'))
        v -= product();
      else
        return v;
    }
  }
  double product() {
    double v = atom();
    for (;;) {
      if (take('*'))
        v *= atom();
      else if (take('/'))
        v /= atom();
      else
        return v;
    }
  }
  double atom() {
    if (++depth_ > 50) {
      ok_ = false;
      return 0;
    }
    double v = 0;
    if (take('-')) {
      v = -atom();
    } else if (take('+')) {
      v = atom();
    } else if (take('(')) {
      v = sum();
      ok_ = take(')') && ok_;
    } else {
      skip();
      const auto [to, error] = std::from_chars(at_, end_, v);
      ok_ = ok_ && error == std::errc();
      if (error == std::errc()) at_ = to;
    }
    --depth_;
    return v;
  }

  const char *at_, *end_;
  int depth_ = 0;
  bool ok_ = true;
};

}  // namespace

double numberFrom(const std::string& text) {
  double v = 0;
  if (text.size() > 200 || !Sum(text).whole(v))
    throw Error(fmt::format("\"{}\" is not a number", text.substr(0, 60)), "Type digits, with a point for decimals");
  return v;
}

double parseClamped(const std::string& text, const About& about) {
  std::string digits = text;
  // What is shown behind a number may be typed behind it.
  const std::string unit = about.unit;
  while (!digits.empty() && std::isspace(static_cast<unsigned char>(digits.back()))) digits.pop_back();
  if (!unit.empty() && digits.ends_with(unit)) digits.resize(digits.size() - unit.size());
  const double shown = numberFrom(digits), kept = shown / about.factor;
  // A hair beyond is what dividing by the factor may bring.
  const double slack = 1e-9 * std::max(1.0, std::abs(kept));
  if (kept < about.least - slack || kept > about.most + slack)
    throw Error(
        fmt::format("{:g} is outside {:g} to {:g}", shown, about.least * about.factor, about.most * about.factor),
        "Type a value in that range");
  return std::clamp(kept, about.least, about.most);
}

std::string shownText(double kept, const About& about) {
  // Rounded first, so that no "-0.0" is read.
  const double tens = std::pow(10.0, about.decimals);
  return fmt::format("{:.{}f}", std::round(kept * about.factor * tens) / tens + 0.0, about.decimals);
}

}  // namespace zentil::value
