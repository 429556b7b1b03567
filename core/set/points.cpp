#include "core/set/points.h"

#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <tiny_gltf.h>

#include <array>
#include <assimp/Importer.hpp>
#include <map>
#include <mutex>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/gltf.h"
#include "core/base/nesting.h"

namespace fs = std::filesystem;

namespace zentil::set {
namespace {

/// Calls visit(mesh, node's transform) for every mesh of the scene, in the world of its root.
void visitMeshes(const aiScene& scene, const aiNode& node, const aiMatrix4x4& above,
                 const std::function<void(const aiMesh&, const aiMatrix4x4&)>& visit) {
  const aiMatrix4x4 here = above * node.mTransformation;
  for (unsigned i = 0; i < node.mNumMeshes; ++i) visit(*scene.mMeshes[node.mMeshes[i]], here);
  for (unsigned i = 0; i < node.mNumChildren; ++i) visitMeshes(scene, *node.mChildren[i], here, visit);
}

Mesh readOther(const fs::path& file, unsigned steps) {
  const std::string content = readText(file);  // says plainly when it is missing, a folder or not allowed
  if (content.empty())
    throw Error(fmt::format("{}: the file is empty", file.string()), "Save it again where it was made");
  // The PLY reader waits for ever for the end of a header that was cut off.
  if (content.starts_with("ply") && content.find("end_header") == std::string::npos)
    throw Error(fmt::format("{}: is cut short in its header", file.string()), "Save it again where it was made");
  // XML and JSON alone nest; in binary data brackets mean nothing.
  if (content.front() == '<' || content.front() == '{') refuseDeepNesting(content, file.string());
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFile(file.string(), steps);
  if (!scene || !scene->mRootNode)
    throw Error(fmt::format("{}: cannot be read ({})", file.string(), importer.GetErrorString()),
                "Give PLY, OBJ or glTF; the file may be cut short");
  Mesh out;
  visitMeshes(*scene, *scene->mRootNode, aiMatrix4x4(), [&](const aiMesh& mesh, const aiMatrix4x4& at) {
    const int base = static_cast<int>(out.points.size());
    for (unsigned i = 0; i < mesh.mNumVertices; ++i) {
      const aiVector3D v = at * mesh.mVertices[i];
      out.points.emplace_back(v.x, v.y, v.z);
      if (!out.points.back().allFinite())
        throw Error(fmt::format("{}: point {} is not a number", file.string(), out.points.size()),
                    "Export the points again");
    }
    for (unsigned i = 0; i < mesh.mNumFaces; ++i)
      if (mesh.mFaces[i].mNumIndices == 3) {
        const unsigned* k = mesh.mFaces[i].mIndices;
        if (std::max({k[0], k[1], k[2]}) >= mesh.mNumVertices)
          throw Error(fmt::format("{}: face {} names a point that is not there", file.string(), i), "Export it again");
        out.triangles.emplace_back(base + static_cast<int>(k[0]), base + static_cast<int>(k[1]),
                                   base + static_cast<int>(k[2]));
      }
  });
  return out;
}

/// Triangles of a glTF primitive's corners, in the order of their list (mode 4), strip (5) or fan (6).
std::vector<Eigen::Vector3i> trianglesOf(const std::vector<uint32_t>& corners, int mode) {
  std::vector<Eigen::Vector3i> out;
  const auto add = [&](size_t a, size_t b, size_t c) {
    out.emplace_back(static_cast<int>(corners[a]), static_cast<int>(corners[b]), static_cast<int>(corners[c]));
  };
  const size_t n = corners.size();
  if (mode == TINYGLTF_MODE_TRIANGLES)
    for (size_t i = 0; i + 2 < n; i += 3) add(i, i + 1, i + 2);
  if (mode == TINYGLTF_MODE_TRIANGLE_STRIP)
    for (size_t i = 0; i + 2 < n; ++i) add(i, i + 1 + i % 2, i + 2 - i % 2);
  if (mode == TINYGLTF_MODE_TRIANGLE_FAN)
    for (size_t i = 1; i + 1 < n; ++i) add(0, i, i + 1);
  return out;
}

Mesh readGltfMeshes(const fs::path& file) {
  const auto model = readGltf(file);
  Mesh out;
  const auto take = [&](const tinygltf::Primitive& p, const Eigen::Affine3d& at) {
    const auto position = p.attributes.find("POSITION");
    if (position == p.attributes.end()) return;
    const auto values = floatsOf(*model, position->second);
    if (values.empty() || values.size() % 3 != 0)
      throw Error(fmt::format("{}: its points are damaged, compressed or not in floats", file.string()),
                  "Export it again, uncompressed");
    const int base = static_cast<int>(out.points.size());
    for (size_t i = 0; i < values.size(); i += 3) {
      out.points.push_back(at * Vec3(values[i], values[i + 1], values[i + 2]));
      if (!out.points.back().allFinite())
        throw Error(fmt::format("{}: point {} is not a number", file.string(), out.points.size()),
                    "Export the points again");
    }
    std::vector<uint32_t> corners = integersOf(*model, p.indices);
    if (p.indices >= 0 && corners.empty())
      throw Error(fmt::format("{}: its faces are damaged or compressed", file.string()),
                  "Export it again, uncompressed");
    if (p.indices < 0)
      for (size_t i = 0; i < values.size() / 3; ++i) corners.push_back(static_cast<uint32_t>(i));
    for (const uint32_t c : corners)
      if (c >= values.size() / 3)
        throw Error(fmt::format("{}: a face names point {}, which is not there", file.string(), c), "Export it again");
    for (const Eigen::Vector3i& t : trianglesOf(corners, p.mode < 0 ? TINYGLTF_MODE_TRIANGLES : p.mode))
      out.triangles.push_back(t + Eigen::Vector3i::Constant(base));
  };
  const std::function<void(int, const Eigen::Affine3d&, int)> visit = [&](int i, const Eigen::Affine3d& above,
                                                                          int depth) {
    if (i < 0 || static_cast<size_t>(i) >= model->nodes.size() || depth > 64) return;
    const auto& node = model->nodes[static_cast<size_t>(i)];
    const Eigen::Affine3d at = above * standing(node);
    if (node.mesh >= 0 && static_cast<size_t>(node.mesh) < model->meshes.size())
      for (const auto& p : model->meshes[static_cast<size_t>(node.mesh)].primitives) take(p, at);
    for (const int child : node.children) visit(child, at, depth + 1);
  };
  for (const int root : rootsOf(*model)) visit(root, Eigen::Affine3d::Identity(), 0);
  return out;
}

/// glTF by the reader that reads its cameras too; everything else by assimp.
Mesh readAll(const fs::path& file, unsigned steps) {
  const std::string ending = lowerEnding(file);
  return ending == ".gltf" || ending == ".glb" ? readGltfMeshes(file) : readOther(file, steps);
}

/// Corners that lie on each other become one, so that a face knows its neighbours.
void joinPoints(Mesh& mesh) {
  std::map<std::array<double, 3>, int> known;
  std::vector<Vec3> points;
  std::vector<int> now;
  for (const Vec3& p : mesh.points) {
    const auto [it, fresh] = known.try_emplace({p.x(), p.y(), p.z()}, static_cast<int>(points.size()));
    if (fresh) points.push_back(p);
    now.push_back(it->second);
  }
  for (auto& t : mesh.triangles)
    for (int k = 0; k < 3; ++k) t[k] = now[static_cast<size_t>(t[k])];
  mesh.points = std::move(points);
}

}  // namespace

std::vector<Point> readPoints(const fs::path& file) {
  const Mesh all = readAll(file, 0);
  if (all.points.empty())
    throw Error(fmt::format("{}: holds no points", file.string()), "Export the point cloud, as PLY or glTF");
  std::vector<Point> out;
  for (const Vec3& p : all.points) out.push_back({p, -1, 0});
  return out;
}

std::shared_ptr<const Mesh> readMesh(const fs::path& file) {
  auto mesh = std::make_shared<Mesh>(readAll(file, aiProcess_Triangulate));
  joinPoints(*mesh);
  mesh->bound();
  if (mesh->triangles.empty())
    throw Error(fmt::format("{}: holds no triangles", file.string()), "Export it as a mesh, as OBJ, PLY or glTF");
  return mesh;
}

std::shared_ptr<const Mesh> freshMesh(const fs::path& file) {
  struct Kept {
    Stamp stamp;
    std::weak_ptr<const Mesh> mesh;
  };
  static std::mutex mutex;
  static std::map<fs::path, Kept> kept;
  const Stamp stamp = stampOf(file);
  {
    const std::lock_guard lock(mutex);
    std::erase_if(kept, [](const auto& k) { return k.second.mesh.expired(); });
    if (const auto it = kept.find(file); it != kept.end() && it->second.stamp == stamp)
      if (auto mesh = it->second.mesh.lock()) return mesh;
  }
  auto mesh = readMesh(file);
  const std::lock_guard lock(mutex);
  kept[file] = {stamp, mesh};
  return mesh;
}

}  // namespace zentil::set
