#include "core/set/points.h"

#include <assimp/postprocess.h>
#include <assimp/scene.h>

#include <assimp/Importer.hpp>
#include <map>
#include <mutex>

#include "core/base/error.h"
#include "core/base/files.h"

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

Mesh readAll(const fs::path& file, unsigned steps) {
  const std::string content = readText(file);  // says plainly when it is missing, a folder or not allowed
  if (content.empty())
    throw Error(fmt::format("{}: the file is empty", file.string()), "Save it again where it was made");
  // The PLY reader waits for ever for the end of a header that was cut off.
  if (content.starts_with("ply") && content.find("end_header") == std::string::npos)
    throw Error(fmt::format("{}: is cut short in its header", file.string()), "Save it again where it was made");
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
  auto mesh = std::make_shared<Mesh>(readAll(file, aiProcess_Triangulate | aiProcess_JoinIdenticalVertices));
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
  const auto mesh = readMesh(file);
  const std::lock_guard lock(mutex);
  kept[file] = {stamp, mesh};
  return mesh;
}

}  // namespace zentil::set
