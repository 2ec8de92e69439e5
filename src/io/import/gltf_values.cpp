#include "io/import/gltf_reader.h"

#include <algorithm>
#include <cstring>
#include <fmt/format.h>

namespace thicket::detail {
namespace {

double component(const unsigned char* at, int type, bool normalized) {
    const auto read = [at](auto value) {
        std::memcpy(&value, at, sizeof value);
        return static_cast<double>(value);
    };
    switch (type) {
    case TINYGLTF_COMPONENT_TYPE_FLOAT:
        return read(float{});
    case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT:
        return read(std::uint32_t{});
    case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
        return read(std::uint16_t{}) / (normalized ? 65535.0 : 1.0);
    case TINYGLTF_COMPONENT_TYPE_SHORT:
        return std::max(read(std::int16_t{}) / (normalized ? 32767.0 : 1.0), normalized ? -1.0 : -1e9);
    case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE:
        return read(std::uint8_t{}) / (normalized ? 255.0 : 1.0);
    case TINYGLTF_COMPONENT_TYPE_BYTE:
        return std::max(read(std::int8_t{}) / (normalized ? 127.0 : 1.0), normalized ? -1.0 : -1e9);
    default:
        return 0;
    }
}

} // namespace

Result<const unsigned char*> GltfReader::bytesOf(int viewIndex, std::size_t offset, std::size_t count,
                                                 std::size_t element, std::size_t& stride,
                                                 const std::string& what) const {
    if (viewIndex < 0 || viewIndex >= static_cast<int>(model.bufferViews.size()))
        return bad(what + " names a buffer view that does not exist");
    const tinygltf::BufferView& view = model.bufferViews[static_cast<std::size_t>(viewIndex)];
    if (view.buffer < 0 || view.buffer >= static_cast<int>(model.buffers.size()))
        return bad(what + " names a buffer that does not exist");
    const auto& data = model.buffers[static_cast<std::size_t>(view.buffer)].data;
    stride = view.byteStride > 0 ? view.byteStride : element;
    const std::size_t size = data.size();
    if (view.byteOffset > size || view.byteLength > size - view.byteOffset || offset > view.byteLength)
        return bad(what + " reaches beyond its buffer", "the file is cut short or damaged; export it again");
    const std::size_t left = view.byteLength - offset;
    if (count == 0 || left < element || (left - element) / stride < count - 1)
        return bad(what + " reaches beyond its buffer", "the file is cut short or damaged; export it again");
    return data.data() + view.byteOffset + offset;
}

Result<std::vector<double>> GltfReader::values(int index, int wanted, const std::string& what) const {
    if (index < 0 || index >= static_cast<int>(model.accessors.size()))
        return bad(what + " names an accessor that does not exist");
    const tinygltf::Accessor& a = model.accessors[static_cast<std::size_t>(index)];
    const int components = tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(a.type));
    const int size = tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(a.componentType));
    if (components < wanted || size <= 0)
        return bad(what + " is of a type that does not fit");
    std::size_t total = 0;
    for (const auto& buffer : model.buffers)
        total += buffer.data.size();
    // One without data of its own stands beside others that have as many, so the file bounds it too.
    if (a.count > std::max<std::size_t>(total, 1))
        return bad(fmt::format("{} claims {} elements, more than the file holds", what, a.count),
                   "the file is damaged; export it again");
    if (a.count == 0)
        return std::vector<double>();
    std::vector<double> out(a.count * static_cast<std::size_t>(wanted), 0.0);
    const auto element = static_cast<std::size_t>(components * size);
    const auto readInto = [&](const unsigned char* from, std::size_t target) {
        for (int c = 0; c < wanted; ++c)
            out[target * static_cast<std::size_t>(wanted) + static_cast<std::size_t>(c)] =
                component(from + c * size, a.componentType, a.normalized);
    };
    if (a.bufferView >= 0) {
        std::size_t stride = 0;
        auto from = bytesOf(a.bufferView, a.byteOffset, a.count, element, stride, what);
        if (!from)
            return from.error();
        for (std::size_t i = 0; i < a.count; ++i)
            readInto(*from + i * stride, i);
    }
    if (a.sparse.isSparse) {
        const auto count = static_cast<std::size_t>(std::max(a.sparse.count, 0));
        const int indexSize =
            tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(a.sparse.indices.componentType));
        std::size_t indexStride = 0;
        std::size_t valueStride = 0;
        auto at = bytesOf(a.sparse.indices.bufferView, static_cast<std::size_t>(a.sparse.indices.byteOffset), count,
                          static_cast<std::size_t>(std::max(indexSize, 1)), indexStride, what);
        auto from = bytesOf(a.sparse.values.bufferView, static_cast<std::size_t>(a.sparse.values.byteOffset), count,
                            element, valueStride, what);
        if (!at || !from)
            return !at ? at.error() : from.error();
        for (std::size_t i = 0; i < count; ++i) {
            const double target = component(*at + i * indexStride, a.sparse.indices.componentType, false);
            if (target < 0 || target >= static_cast<double>(a.count))
                return bad(what + " has a sparse index out of range");
            readInto(*from + i * valueStride, static_cast<std::size_t>(target));
        }
    }
    return out;
}

Eigen::Affine3d GltfReader::localOf(const tinygltf::Node& node) {
    Eigen::Affine3d t = Eigen::Affine3d::Identity();
    if (node.matrix.size() == 16) {
        for (int c = 0; c < 4; ++c)
            for (int r = 0; r < 4; ++r)
                t.matrix()(r, c) = node.matrix[static_cast<std::size_t>(4 * c + r)];
        return t;
    }
    if (node.translation.size() == 3)
        t.translate(Vec3d(node.translation[0], node.translation[1], node.translation[2]));
    if (node.rotation.size() == 4)
        t.rotate(
            Eigen::Quaterniond(node.rotation[3], node.rotation[0], node.rotation[1], node.rotation[2]).normalized());
    if (node.scale.size() == 3)
        t.scale(Vec3d(node.scale[0], node.scale[1], node.scale[2]));
    return t;
}

} // namespace thicket::detail
