#include "core/base/gltf.h"

// The library is compiled here, without its picture readers: the shared one that Debian builds was made with other
// switches and does not fit its own header.
#include <nlohmann/json.hpp>
#define TINYGLTF_IMPLEMENTATION
#define TINYGLTF_NO_INCLUDE_JSON
#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#include <tiny_gltf.h>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/nesting.h"

namespace zentil {
namespace {

/// Calls take(bytes) for every component of the accessor; false where one lies outside its buffer.
template <class Take>
bool eachComponent(const tinygltf::Model& m, const tinygltf::Accessor& a, const Take& take) {
  if (a.bufferView < 0 || static_cast<size_t>(a.bufferView) >= m.bufferViews.size() || a.sparse.isSparse ||
      a.normalized)
    return false;
  const auto& v = m.bufferViews[static_cast<size_t>(a.bufferView)];
  if (v.buffer < 0 || static_cast<size_t>(v.buffer) >= m.buffers.size()) return false;
  const auto& bytes = m.buffers[static_cast<size_t>(v.buffer)].data;
  const int n = tinygltf::GetNumComponentsInType(static_cast<uint32_t>(a.type)),
            size = tinygltf::GetComponentSizeInBytes(static_cast<uint32_t>(a.componentType)), stride = a.ByteStride(v);
  if (n <= 0 || size <= 0 || stride < n * size) return false;
  for (size_t i = 0; i < a.count; ++i)
    for (int k = 0; k < n; ++k) {
      const size_t at = v.byteOffset + a.byteOffset + i * static_cast<size_t>(stride) + static_cast<size_t>(k * size);
      if (at + static_cast<size_t>(size) > bytes.size()) return false;
      take(bytes.data() + at);
    }
  return true;
}

const tinygltf::Accessor* accessorOf(const tinygltf::Model& m, int i) {
  return i < 0 || static_cast<size_t>(i) >= m.accessors.size() ? nullptr : &m.accessors[static_cast<size_t>(i)];
}

/// The JSON of a .gltf or .glb file (glTF 2.0 specification, section 4.4: a header of 12 bytes, then chunks of a length
/// and a type each, the first of which is JSON).
std::string_view jsonOf(std::string_view bytes) {
  constexpr size_t kHeader = 12, kChunkHead = 8;
  if (!bytes.starts_with("glTF") || bytes.size() < kHeader + kChunkHead) return bytes;
  uint32_t length = 0;
  std::memcpy(&length, bytes.data() + kHeader, sizeof length);
  return bytes.substr(kHeader + kChunkHead, length);
}

template <class T>
T valueAt(const unsigned char* bytes) {
  T v;
  std::memcpy(&v, bytes, sizeof v);
  return v;
}

}  // namespace

std::shared_ptr<const tinygltf::Model> readGltf(const std::filesystem::path& file) {
  const std::string text = readText(file);  // says plainly when it is missing or not allowed
  refuseDeepNesting(jsonOf(text), file.string());
  tinygltf::TinyGLTF loader;
  loader.SetImageLoader([](tinygltf::Image*, int, std::string*, std::string*, int, int, const unsigned char*, int,
                           void*) { return true; },
                        nullptr);
  auto model = std::make_shared<tinygltf::Model>();
  std::string error, warning;
  const bool ok = lowerEnding(file) == ".glb" ? loader.LoadBinaryFromFile(model.get(), &error, &warning, file.string())
                                              : loader.LoadASCIIFromFile(model.get(), &error, &warning, file.string());
  if (!ok)
    throw Error(fmt::format("{}: is not readable glTF ({})", file.string(), error),
                "The file may be cut short: export it again");
  return model;
}

std::vector<double> floatsOf(const tinygltf::Model& m, int accessor) {
  std::vector<double> out;
  const auto* a = accessorOf(m, accessor);
  if (!a || a->componentType != TINYGLTF_COMPONENT_TYPE_FLOAT ||
      !eachComponent(m, *a, [&](const unsigned char* b) { out.push_back(valueAt<float>(b)); }))
    return {};
  return out;
}

std::vector<uint32_t> integersOf(const tinygltf::Model& m, int accessor) {
  std::vector<uint32_t> out;
  const auto* a = accessorOf(m, accessor);
  if (!a) return {};
  const bool ok = eachComponent(m, *a, [&](const unsigned char* b) {
    switch (a->componentType) {
      case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE:
        out.push_back(*b);
        break;
      case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
        out.push_back(valueAt<uint16_t>(b));
        break;
      case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT:
        out.push_back(valueAt<uint32_t>(b));
        break;
      default:
        break;
    }
  });
  return ok ? out : std::vector<uint32_t>{};
}

Eigen::Affine3d standing(const tinygltf::Node& node) {
  Eigen::Affine3d m = Eigen::Affine3d::Identity();
  if (node.matrix.size() == 16) {
    m.matrix() = Eigen::Map<const Eigen::Matrix4d>(node.matrix.data());
    return m;
  }
  const auto &p = node.translation, &q = node.rotation, &s = node.scale;
  if (p.size() == 3) m.translate(Eigen::Vector3d(p[0], p[1], p[2]));
  if (q.size() == 4) m.rotate(Eigen::Quaterniond(q[3], q[0], q[1], q[2]).normalized());
  if (s.size() == 3) m.scale(Eigen::Vector3d(s[0], s[1], s[2]));
  return m;
}

std::vector<int> rootsOf(const tinygltf::Model& m) {
  std::vector<bool> isChild(m.nodes.size(), false);
  for (const auto& n : m.nodes)
    for (const int c : n.children)
      if (c >= 0 && static_cast<size_t>(c) < isChild.size()) isChild[static_cast<size_t>(c)] = true;
  std::vector<int> out;
  for (size_t i = 0; i < isChild.size(); ++i)
    if (!isChild[i]) out.push_back(static_cast<int>(i));
  return out;
}

}  // namespace zentil
