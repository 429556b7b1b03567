#include "core/camera/camera_usda.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstring>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/camera/samples.h"

namespace zentil::camera {
namespace {

using Mat4 = Eigen::Matrix4d;

/// An attribute's value: its numbers in order, its words, or either over time.
struct Value {
  std::vector<double> numbers;
  std::vector<std::string> words;
  Samples samples;
};
struct Prim {
  std::string type, name;
  std::map<std::string, Value> values;
  std::vector<Prim> children;
};

/// Reads what .usda files consist of as far as cameras need it: metadata, prims, attributes.
class Parser {
 public:
  Parser(const std::string& text, std::string file)
      : at_(text.data()), end_(text.data() + text.size()), file_(std::move(file)) {}

  Prim file(std::map<std::string, Value>& metadata) {
    if (!std::string_view(at_, static_cast<size_t>(end_ - at_)).starts_with("#usda"))
      throw Error(fmt::format("{} is no USD text", file_), "Export it as .usda");
    Prim root;
    blank();
    if (peek() == '(') ++at_, attributes(metadata, ')');
    while (blank(), at_ < end_) prim(root);
    return root;
  }

 private:
  [[noreturn]] void fail(const char* what) const {
    throw Error(fmt::format("{}: {} is expected at \"{}\"", file_, what,
                            std::string(at_, static_cast<size_t>(std::min<std::ptrdiff_t>(24, end_ - at_)))),
                "Export the camera again");
  }
  char peek() const { return at_ < end_ ? *at_ : '\0'; }
  void blank() {
    while (at_ < end_) {
      if (std::isspace(static_cast<unsigned char>(*at_)) || *at_ == ';')
        ++at_;
      else if (*at_ == '#')
        while (at_ < end_ && *at_ != '\n') ++at_;
      else
        break;
    }
  }
  bool take(char c) {
    blank();
    if (peek() != c) return false;
    ++at_;
    return true;
  }
  std::string word() {
    blank();
    const char* from = at_;
    while (at_ < end_ && (std::isalnum(static_cast<unsigned char>(*at_)) || std::strchr("_:.!", *at_))) ++at_;
    return {from, at_};
  }
  std::string quoted() {
    const char q = *at_;
    const bool three = end_ - at_ >= 3 && at_[1] == q && at_[2] == q;
    at_ += three ? 3 : 1;
    std::string out;
    while (at_ < end_) {
      if (three ? end_ - at_ >= 3 && at_[0] == q && at_[1] == q && at_[2] == q : *at_ == q) {
        at_ += three ? 3 : 1;
        return out;
      }
      if (*at_ == '\\' && at_ + 1 < end_) ++at_;
      out += *at_++;
    }
    fail("the end of a text");
  }
  void deeper() {
    if (++depth_ > 200)
      throw Error(fmt::format("{}: its groups are nested too deep", file_), "Export the camera again");
  }
  void value(Value& out) {
    blank();
    const char c = peek();
    if (c == '(' || c == '[') {
      deeper();
      ++at_;
      while (blank(), peek() != ')' && peek() != ']') {
        if (at_ >= end_) fail("a closing bracket");
        value(out);
        take(',');
      }
      ++at_;
      --depth_;
    } else if (c == '"' || c == '\'') {
      out.words.push_back(quoted());
    } else if (c == '<' || c == '@') {
      const char close = c == '<' ? '>' : '@';
      const char* from = ++at_;
      while (at_ < end_ && *at_ != close) ++at_;
      out.words.emplace_back(from, at_);
      if (at_ < end_) ++at_;
    } else if (c == '{') {
      dictionary(out);
    } else if (std::isdigit(static_cast<unsigned char>(c)) || c == '-' || c == '+' || c == '.') {
      // Whatever the locale's decimal mark is.
      if (c == '+') ++at_;
      double number = 0;
      const auto [after, bad] = std::from_chars(at_, end_, number);
      if (bad != std::errc()) fail("a number");
      out.numbers.push_back(number);
      at_ = after;
    } else {
      const std::string w = word();
      if (w.empty()) fail("a value");
      out.words.push_back(w);
    }
  }
  /// Time samples; other dictionaries are gone through and left out.
  void dictionary(Value& out) {
    deeper();
    ++at_;
    while (!take('}')) {
      if (at_ >= end_) fail("a closing brace");
      Value key;
      value(key);
      if (take(':')) {
        Value v;
        value(v);
        if (key.numbers.size() == 1) out.samples.at[key.numbers[0]] = v.numbers;
      } else {  // "type name = value"
        while (!take('=')) {
          if (word().empty()) fail("=");
        }
        Value v;
        value(v);
      }
      take(',');
    }
    --depth_;
  }
  /// What is said of a thing in brackets behind it: gone through and left out.
  void about() {
    std::map<std::string, Value> said;
    if (!take('(')) return;
    deeper();
    attributes(said, ')');
    --depth_;
  }
  /// Up to a closing bracket.
  void attributes(std::map<std::string, Value>& out, char close) {
    while (!take(close)) {
      if (at_ >= end_) fail("a closing bracket");
      if (peek() == '"' || peek() == '\'')
        quoted();  // a remark
      else
        attribute(out, close);
    }
  }
  /// "type name = value (about it)"; one that is declared alone ends with its line.
  void attribute(std::map<std::string, Value>& out, char close) {
    std::string last;
    while (blank(), peek() != '=') {
      if (peek() == close) return;
      const std::string w = word();
      if (!w.empty())
        last = w;
      else if (peek() == '[' || peek() == ']')
        ++at_;
      else
        fail("a name");
      const char* look = at_;
      while (look < end_ && (*look == ' ' || *look == '\t')) ++look;
      if (!w.empty() && look < end_ && (*look == '\n' || *look == '\r')) {
        at_ = look;
        return;
      }
    }
    ++at_;
    value(out[last]);
    about();
  }
  void prim(Prim& into) {
    const std::string how = word();
    if (how != "def" && how != "over" && how != "class") fail("def");
    Prim p;
    blank();
    if (peek() != '"') p.type = word();
    blank();
    if (peek() != '"') fail("a name in quotes");
    p.name = quoted();
    about();
    if (!take('{')) fail("{");
    deeper();
    while (!take('}')) {
      if (at_ >= end_) fail("}");
      blank();
      const char* from = at_;
      const std::string first = word();
      if (first == "def" || first == "over" || first == "class") {
        at_ = from;
        prim(p);
      } else if (first == "variantSet") {
        fail("a file without variants");
      } else {
        at_ = from;
        attribute(p.values, '}');
      }
    }
    --depth_;
    into.children.push_back(std::move(p));
  }
  const char *at_, *end_;
  std::string file_;
  int depth_ = 0;
};

bool cameraBelow(const Prim& p, std::vector<const Prim*>& way) {
  way.push_back(&p);
  if (p.type == "Camera") return true;
  for (const auto& c : p.children)
    if (cameraBelow(c, way)) return true;
  way.pop_back();
  return false;
}

/// An attribute at a time, over time or not; empty when it is not there.
std::vector<double> valueAt(const Prim& p, const std::string& name, double time) {
  if (const auto it = p.values.find(name + ".timeSamples"); it != p.values.end() && !it->second.samples.empty())
    return it->second.samples.value(time);
  const auto it = p.values.find(name);
  return it == p.values.end() ? std::vector<double>() : it->second.numbers;
}

Mat4 transposed(const std::vector<double>& rows) {
  Mat4 m = Mat4::Identity();
  for (int i = 0; i < 16; ++i) m(i % 4, i / 4) = rows[static_cast<size_t>(i)];
  return m;
}

/// A prim's own transform; the operations in order, the first being the outermost (OpenUSD, UsdGeomXformable).
Mat4 usdaTransformOf(const Prim& p, double time, const std::string& file) {
  Mat4 m = Mat4::Identity();
  const auto order = p.values.find("xformOpOrder");
  if (order == p.values.end()) return m;
  for (std::string op : order->second.words) {
    const bool inverse = op.starts_with("!invert!");
    if (inverse) op = op.substr(8);
    Mat4 one = Mat4::Identity();
    std::string kind = op.starts_with("xformOp:") ? op.substr(8) : op;
    kind = kind.substr(0, kind.find(':'));
    if (kind == "transform") {
      Samples s;
      if (const auto it = p.values.find(op + ".timeSamples"); it != p.values.end()) {
        for (const auto& [t, v] : it->second.samples.at) {
          if (v.size() != 16)
            throw Error(fmt::format("{}: a matrix has not 16 numbers", file), "Export the camera again");
          const Mat4 columns = transposed(v);
          for (int i = 0; i < 16; ++i) s.at[t].push_back(columns(i / 4, i % 4));
        }
        one = s.matrix(time);
      } else if (const auto v = valueAt(p, op, time); v.size() == 16) {
        one = transposed(v);
      }
    } else {
      const auto v = valueAt(p, op, time);
      // Turns name their axes.
      if (kind.starts_with("rotate") && kind.substr(6).find_first_not_of("XYZ") != std::string::npos)
        throw Error(fmt::format("{}: \"{}\" is not understood", file, op), "Export the camera with matrices");
      const auto turn = [&](double degrees, const Vec3& axis) {
        return Eigen::AngleAxisd(degrees * M_PI / 180, axis).toRotationMatrix();
      };
      if (kind == "translate" && v.size() >= 3)
        one.topRightCorner<3, 1>() = Vec3(v[0], v[1], v[2]);
      else if (kind == "scale" && v.size() >= 3)
        one.topLeftCorner<3, 3>() = Vec3(v[0], v[1], v[2]).asDiagonal();
      else if (kind == "orient" && v.size() >= 4)
        one.topLeftCorner<3, 3>() = Eigen::Quaterniond(v[0], v[1], v[2], v[3]).normalized().toRotationMatrix();
      else if (kind.starts_with("rotate") && kind.size() == 7 && !v.empty())
        one.topLeftCorner<3, 3>() = turn(v[0], Vec3::Unit(kind[6] - 'X'));
      else if (kind.starts_with("rotate") && kind.size() == 9 && v.size() >= 3) {
        // "XYZ": about X first, then Y, then Z.
        Mat3 r = Mat3::Identity();
        for (size_t i = 0; i < 3; ++i) {
          const int axis = kind[6 + i] - 'X';
          r = turn(v[static_cast<size_t>(axis)], Vec3::Unit(axis)) * r;
        }
        one.topLeftCorner<3, 3>() = r;
      } else {
        throw Error(fmt::format("{}: \"{}\" is not understood", file, op), "Export the camera with matrices");
      }
    }
    m = m * (inverse ? Mat4(one.inverse()) : one);
  }
  return m;
}

}  // namespace

CameraPath readCameraUsda(const std::filesystem::path& path, const CameraFileContext& context) {
  const std::string file = path.string(), text = readText(path);
  std::map<std::string, Value> metadata;
  const Prim root = Parser(text, file).file(metadata);
  std::vector<const Prim*> way;
  if (!cameraBelow(root, way)) throw Error(fmt::format("{} holds no camera", file), "Export one");
  const auto number = [&](const char* key, double otherwise) {
    const auto it = metadata.find(key);
    return it == metadata.end() || it->second.numbers.empty() ? otherwise : it->second.numbers[0];
  };
  const auto up = metadata.find("upAxis");
  const bool zUp = up != metadata.end() && !up->second.words.empty() && up->second.words[0] == "Z";
  // What a file does not say is centimetres (OpenUSD, UsdGeom).
  const Mat4 world = toYUpMetres(zUp, number("metersPerUnit", 0.01));
  const double perFrame =
      number("timeCodesPerSecond", 24) / number("framesPerSecond", number("timeCodesPerSecond", 24));
  double first = 1e300, last = -1e300;
  for (const auto* p : way)
    for (const auto& [name, v] : p->values)
      if (!v.samples.empty())
        first = std::min(first, v.samples.at.begin()->first), last = std::max(last, v.samples.at.rbegin()->first);
  FrameRange range = context.range;
  if (first <= last) {
    const FrameRange own{static_cast<int>(std::ceil(first / perFrame - 1e-6)),
                         static_cast<int>(std::floor(last / perFrame + 1e-6))};
    range = range.count() == 0 ? own : overlap(range, own);
    if (range.count() == 0)
      throw Error(fmt::format("{} has frames {} to {}, and the shot others", file, own.first, own.last),
                  "Export it with the shot's frame numbers");
    if (range.count() > 1000000) throw Error(fmt::format("{} has over a million frames", file), "Export fewer");
  } else if (range.count() == 0) {
    range = {context.firstFrame, context.firstFrame};
  }
  const Prim& camera = *way.back();
  CameraPath out;
  const auto one = [&](const char* name, double time, double otherwise) {
    const auto v = valueAt(camera, name, time);
    return v.empty() ? otherwise : v[0];
  };
  // What a file does not say is as the schema has it (OpenUSD, UsdGeomCamera).
  out.backWidthMm = one("horizontalAperture", 0, 20.955), out.backHeightMm = one("verticalAperture", 0, 15.2908);
  if (!(out.backWidthMm > 0) || !(out.backHeightMm > 0))
    throw Error(fmt::format("{}: its camera has no film back", file), "Export the camera again");
  // The offset is in parts of the film back; in pixels it is once the picture's size is known, here by its aspect.
  const double width = context.widthPx, height = context.heightPx;
  out.centreOffsetPx = Vec2(-one("horizontalApertureOffset", 0, 0) / out.backWidthMm * width,
                            one("verticalApertureOffset", 0, 0) / out.backHeightMm * height);
  for (int f = range.first; f <= range.last; ++f) {
    const double time = f * perFrame;
    Mat4 m = Mat4::Identity();
    for (const auto* p : way) m = m * usdaTransformOf(*p, time, file);
    Pose pose;
    placeAndTurn(world * m, pose.position, pose.rotation);
    pose.focalMm = one("focalLength", time, 50);
    out.poses[f] = pose;
  }
  return out;
}

}  // namespace zentil::camera
