#include "arena/files/read_gltf.hpp"

#include <tiny_gltf.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <exception>

#include "zithercraft/base/error.hpp"

namespace zithercraft::arena_internal {
namespace {

constexpr std::size_t most_triangles_of_file = 1'000'000;
constexpr int deepest = 64;

[[noreturn]] void wrong_gltf(const std::string& problem, const std::string& where) {
  throw Error(ErrorKind::file, problem, where,
              "export it as glTF 2.0 with its buffers inside (.glb)");
}

/// Column-major, as the format has it.
struct Matrix {
  std::array<double, 16> m{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};
};

Matrix product(const Matrix& a, const Matrix& b) {
  Matrix c;
  for (std::size_t column = 0; column < 4; ++column)
    for (std::size_t row = 0; row < 4; ++row) {
      double sum = 0.0;
      for (std::size_t k = 0; k < 4; ++k) sum += a.m[4 * k + row] * b.m[4 * column + k];
      c.m[4 * column + row] = sum;
    }
  return c;
}

Matrix matrix_of(const tinygltf::Node& node, const std::string& where) {
  Matrix result;
  if (!node.matrix.empty()) {
    if (node.matrix.size() != 16) wrong_gltf("a node's matrix has not 16 numbers", where);
    std::copy(node.matrix.begin(), node.matrix.end(), result.m.begin());
    return result;
  }
  const auto part = [&](const std::vector<double>& list, std::size_t size, double otherwise) {
    if (!list.empty() && list.size() != size)
      wrong_gltf("a node is placed by the wrong number of numbers", where);
    return list.empty() ? std::vector<double>(size, otherwise) : list;
  };
  const auto t = part(node.translation, 3, 0.0), s = part(node.scale, 3, 1.0);
  auto q = part(node.rotation, 4, 0.0);
  if (node.rotation.empty()) q[3] = 1.0;
  const double x = q[0], y = q[1], z = q[2], w = q[3];
  const std::array<double, 9> r{
      1 - 2 * (y * y + z * z), 2 * (x * y + z * w),     2 * (x * z - y * w),
      2 * (x * y - z * w),     1 - 2 * (x * x + z * z), 2 * (y * z + x * w),
      2 * (x * z + y * w),     2 * (y * z - x * w),     1 - 2 * (x * x + y * y)};
  for (std::size_t column = 0; column < 3; ++column)
    for (std::size_t row = 0; row < 3; ++row)
      result.m[4 * column + row] = r[3 * column + row] * s[column];
  for (std::size_t row = 0; row < 3; ++row) result.m[12 + row] = t[row];
  return result;
}

class Importer {
 public:
  Importer(const tinygltf::Model& model, const std::string& where) : model_(model), where_(where) {}

  std::vector<TaggedTriangles> import() {
    if (model_.scenes.empty()) wrong_gltf("the file holds no scene", where_);
    const auto scene = static_cast<std::size_t>(std::max(0, model_.defaultScene));
    if (scene >= model_.scenes.size()) wrong_gltf("the default scene is missing", where_);
    for (const int node : model_.scenes[scene].nodes) visit(node, {}, "", 0);
    return std::move(found_);
  }

 private:
  void visit(int number, const Matrix& above, const std::string& tag_above, int depth) {
    if (number < 0 || static_cast<std::size_t>(number) >= model_.nodes.size())
      wrong_gltf("a node is missing", where_);
    if (depth > deepest || ++visited_ > 100'000)
      wrong_gltf("the nodes lie too deep, or form a cycle", where_);
    const tinygltf::Node& node = model_.nodes[static_cast<std::size_t>(number)];
    std::string tag = tag_above;
    if (node.extras.IsObject() && node.extras.Has("tag") && node.extras.Get("tag").IsString())
      tag = node.extras.Get("tag").Get<std::string>();
    const Matrix here = product(above, matrix_of(node, where_));
    if (node.mesh >= 0) {
      if (static_cast<std::size_t>(node.mesh) >= model_.meshes.size())
        wrong_gltf("a mesh is missing", where_);
      for (const tinygltf::Primitive& part :
           model_.meshes[static_cast<std::size_t>(node.mesh)].primitives)
        add(part, here, group(tag));
    }
    for (const int child : node.children) visit(child, here, tag, depth + 1);
  }

  std::vector<std::array<Vec3, 3>>& group(const std::string& tag) {
    for (TaggedTriangles& g : found_)
      if (g.tag == tag) return g.triangles;
    found_.push_back({tag, {}});
    return found_.back().triangles;
  }

  /// The bytes of an accessor's elements, checked against its buffer.
  struct Elements {
    const unsigned char* first = nullptr;
    std::size_t count = 0, stride = 0;
  };
  Elements elements(int number, int type, std::size_t width) const {
    if (number < 0 || static_cast<std::size_t>(number) >= model_.accessors.size())
      wrong_gltf("an accessor is missing", where_);
    const tinygltf::Accessor& accessor = model_.accessors[static_cast<std::size_t>(number)];
    if (accessor.type != type || accessor.sparse.isSparse)
      wrong_gltf("an accessor is of a kind that is not read", where_);
    if (accessor.bufferView < 0 ||
        static_cast<std::size_t>(accessor.bufferView) >= model_.bufferViews.size())
      wrong_gltf("a buffer view is missing", where_);
    const tinygltf::BufferView& view =
        model_.bufferViews[static_cast<std::size_t>(accessor.bufferView)];
    if (view.buffer < 0 || static_cast<std::size_t>(view.buffer) >= model_.buffers.size())
      wrong_gltf("a buffer is missing", where_);
    const auto& data = model_.buffers[static_cast<std::size_t>(view.buffer)].data;
    const std::size_t stride = view.byteStride == 0 ? width : view.byteStride;
    const std::size_t limit = data.size();
    if (stride < width || stride > 4096 || accessor.count == 0 || accessor.count > limit ||
        view.byteOffset > limit || accessor.byteOffset > limit ||
        (accessor.count - 1) * stride + width > limit ||
        view.byteOffset + accessor.byteOffset > limit - ((accessor.count - 1) * stride + width))
      wrong_gltf("an accessor reaches beyond its buffer", where_);
    return {data.data() + view.byteOffset + accessor.byteOffset, accessor.count, stride};
  }

  std::vector<Vec3> corners_of(int number, const Matrix& place) const {
    const Elements e = elements(number, TINYGLTF_TYPE_VEC3, 12);
    if (model_.accessors[static_cast<std::size_t>(number)].componentType !=
        TINYGLTF_COMPONENT_TYPE_FLOAT)
      wrong_gltf("the positions are no floats", where_);
    std::vector<Vec3> corners(e.count);
    for (std::size_t i = 0; i < e.count; ++i) {
      std::array<float, 3> p;
      std::memcpy(p.data(), e.first + i * e.stride, sizeof p);
      std::array<double, 3> q{};
      for (std::size_t row = 0; row < 3; ++row)
        q[row] = place.m[row] * static_cast<double>(p[0]) +
                 place.m[4 + row] * static_cast<double>(p[1]) +
                 place.m[8 + row] * static_cast<double>(p[2]) + place.m[12 + row];
      for (const double v : q)
        if (!(std::fabs(v) < 1e6))
          wrong_gltf("a position is not a number, or farther than 1,000 km away", where_);
      corners[i] = {static_cast<float>(q[0]), static_cast<float>(-q[2]),
                    static_cast<float>(q[1])};  // y up to z up
    }
    return corners;
  }

  std::vector<std::size_t> order_of(int number, std::size_t corners) const {
    std::vector<std::size_t> order;
    if (number < 0) {
      for (std::size_t i = 0; i < corners; ++i) order.push_back(i);
      return order;
    }
    if (static_cast<std::size_t>(number) >= model_.accessors.size())
      wrong_gltf("an accessor is missing", where_);
    std::size_t width = 0;
    switch (model_.accessors[static_cast<std::size_t>(number)].componentType) {
      case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE: width = 1; break;
      case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT: width = 2; break;
      case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT: width = 4; break;
      default: wrong_gltf("the indices are no whole numbers", where_);
    }
    const Elements e = elements(number, TINYGLTF_TYPE_SCALAR, width);
    for (std::size_t i = 0; i < e.count; ++i) {
      std::size_t index = 0;
      for (std::size_t b = width; b-- > 0;) index = index << 8 | e.first[i * e.stride + b];
      if (index >= corners) wrong_gltf("an index names no position", where_);
      order.push_back(index);
    }
    return order;
  }

  void add(const tinygltf::Primitive& part, const Matrix& place,
           std::vector<std::array<Vec3, 3>>& into) {
    const int mode = part.mode < 0 ? TINYGLTF_MODE_TRIANGLES : part.mode;
    if (mode < TINYGLTF_MODE_TRIANGLES) return;  // points and lines stop nothing
    if (mode > TINYGLTF_MODE_TRIANGLE_FAN)
      wrong_gltf("a part is of a kind that does not exist", where_);
    const auto position = part.attributes.find("POSITION");
    if (position == part.attributes.end()) wrong_gltf("a part has no positions", where_);
    const std::vector<Vec3> corners = corners_of(position->second, place);
    const std::vector<std::size_t> order = order_of(part.indices, corners.size());
    const std::size_t step = mode == TINYGLTF_MODE_TRIANGLES ? 3 : 1;
    for (std::size_t i = 0; i + 2 < order.size(); i += step) {
      const std::size_t first = mode == TINYGLTF_MODE_TRIANGLE_FAN ? 0 : i;
      into.push_back({corners[order[first]], corners[order[i + 1]], corners[order[i + 2]]});
      if (++triangles_ > most_triangles_of_file)
        wrong_gltf("the file holds more than a million triangles", where_);
    }
  }

  const tinygltf::Model& model_;
  const std::string& where_;
  std::vector<TaggedTriangles> found_;
  std::size_t triangles_ = 0, visited_ = 0;
};

}  // namespace

std::vector<TaggedTriangles> read_gltf(const std::string& bytes, const std::string& where) {
  tinygltf::TinyGLTF loader;
  tinygltf::Model model;
  std::string problem, warning;
  // Pictures do not matter here, and nothing beside the file itself is opened.
  loader.SetImageLoader([](tinygltf::Image*, const int, std::string*, std::string*, int, int,
                           const unsigned char*, int, void*) { return true; },
                        nullptr);
  loader.SetFsCallbacks(
      {[](const std::string&, void*) { return false; },
       [](const std::string& path, void*) { return path; },
       [](std::vector<unsigned char>*, std::string*, const std::string&, void*) { return false; },
       [](std::string*, const std::string&, const std::vector<unsigned char>&, void*) {
         return false;
       },
       nullptr});
  bool fine = false;
  try {
    const auto size = static_cast<unsigned>(bytes.size());
    fine = bytes.starts_with("glTF")
               ? loader.LoadBinaryFromMemory(&model, &problem, &warning,
                                             reinterpret_cast<const unsigned char*>(bytes.data()),
                                             size)
               : loader.LoadASCIIFromString(&model, &problem, &warning, bytes.data(), size, "");
  } catch (const std::exception&) {
    fine = false;
  }
  if (!fine) wrong_gltf("this is no glTF 2.0 file with its buffers inside", where);
  return Importer(model, where).import();
}

}  // namespace zithercraft::arena_internal
