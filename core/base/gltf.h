#pragma once
#include <Eigen/Geometry>
#include <filesystem>
#include <vector>

namespace tinygltf {
class Model;
class Node;
}  // namespace tinygltf

namespace zentil {

/// What a glTF file holds (Khronos glTF 2.0; .gltf or .glb), without its pictures. Throws Error naming the file when it
/// cannot be read. Whoever looks inside includes <tiny_gltf.h>.
std::shared_ptr<const tinygltf::Model> readGltf(const std::filesystem::path& file);

/// An accessor's floats or integers, one after the other. Empty when there is no such accessor, it points outside its
/// buffer, or it is kept in a way that is not read here (sparse, normalised, compressed).
std::vector<double> floatsOf(const tinygltf::Model& model, int accessor);
std::vector<uint32_t> integersOf(const tinygltf::Model& model, int accessor);

/// Where a node stands under its parent, as the file says for a scene that does not move.
Eigen::Affine3d standing(const tinygltf::Node& node);

/// The nodes under no other.
std::vector<int> rootsOf(const tinygltf::Model& model);

}  // namespace zentil
