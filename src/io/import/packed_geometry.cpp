// The side that asks; the reader's side is in unpack_geometry.cpp.

#include "io/import/packed_geometry.h"

#include "io/import/ask_reader.h"
#include "io/import/packed_wire.h"
#include "io/json/fields.h"

#include <algorithm>
#include <cstring>
#include <string_view>
#include <utility>

namespace thicket::detail {
namespace {

constexpr const char* kPackedExtension = "KHR_draco_mesh_compression";

/// Where what is unpacked of one primitive goes.
struct Wanted {
    tinygltf::Primitive* primitive = nullptr;
    std::vector<std::string> attributes; ///< in the order in which they are asked for
};

class PackedModel {
public:
    PackedModel(tinygltf::Model& model, std::filesystem::path where) : m_model(model), m_where(std::move(where)) {}

    /// Collects all that has to be unpacked.
    Result<void> collect() {
        for (tinygltf::Mesh& mesh : m_model.meshes)
            for (tinygltf::Primitive& primitive : mesh.primitives)
                if (const auto packed = primitive.extensions.find(kPackedExtension);
                    packed != primitive.extensions.end() && !standsOpen(primitive))
                    if (auto done = add(primitive, packed->second); !done)
                        return done;
        return {};
    }

    Result<void> unpack(const JobContext& job) {
        if (m_wanted.empty())
            return {};
        Packer packer;
        packer.plain<std::uint64_t>(m_asked.size());
        for (const PackedPrimitive& one : m_asked)
            pack(packer, one);
        const auto bytes = askReader({}, packer.bytes(), packer.bytes().size(), m_where, job);
        if (!bytes)
            return refused(bytes.error());
        Unpacker answer(*bytes);
        for (const Wanted& wanted : m_wanted) {
            UnpackedPrimitive one = unpackedFrom(answer);
            if (!answer.whole())
                return bad("could not be read whole");
            if (!one.fault.empty())
                return bad("holds packed triangles that cannot be unpacked (" + one.fault + ")");
            if (auto done = place(wanted, std::move(one)); !done)
                return done;
        }
        return {};
    }

private:
    [[nodiscard]] Error bad(std::string what) const {
        return {ErrorCode::BadInput, m_where.string(), std::move(what),
                "the file is damaged; export it again, or without KHR_draco_mesh_compression"};
    }
    /// What the reader's side says, with what helps where the file is glTF already.
    [[nodiscard]] Error refused(Error error) const {
        if (error.code == ErrorCode::BadInput)
            return bad(error.what);
        if (error.code == ErrorCode::NotFound)
            error.remedy = "install Lean Thicket again, or export the file without KHR_draco_mesh_compression";
        return error;
    }
    [[nodiscard]] tinygltf::Accessor* accessor(int index) {
        return index >= 0 && index < static_cast<int>(m_model.accessors.size())
                   ? &m_model.accessors[static_cast<std::size_t>(index)]
                   : nullptr;
    }
    /// It is in the file as it is besides, for those who cannot unpack.
    [[nodiscard]] bool standsOpen(const tinygltf::Primitive& primitive) {
        const auto position = primitive.attributes.find("POSITION");
        const tinygltf::Accessor* of = position == primitive.attributes.end() ? nullptr : accessor(position->second);
        return of == nullptr || of->bufferView >= 0 || of->sparse.isSparse;
    }

    Result<void> add(tinygltf::Primitive& primitive, const tinygltf::Value& packed) {
        const auto& viewAt = packed.IsObject() ? packed.Get("bufferView") : packed;
        const int view = viewAt.IsInt() ? viewAt.GetNumberAsInt() : -1;
        if (view < 0 || view >= static_cast<int>(m_model.bufferViews.size()))
            return bad("names packed triangles that do not exist");
        const tinygltf::BufferView& at = m_model.bufferViews[static_cast<std::size_t>(view)];
        if (at.buffer < 0 || at.buffer >= static_cast<int>(m_model.buffers.size()))
            return bad("names packed triangles that do not exist");
        const auto& data = m_model.buffers[static_cast<std::size_t>(at.buffer)].data;
        if (at.byteOffset > data.size() || at.byteLength > data.size() - at.byteOffset)
            return bad("holds packed triangles that reach beyond their buffer");
        Wanted wanted{&primitive, {}};
        PackedPrimitive asked;
        const auto* first = data.data() + at.byteOffset;
        asked.bytes.assign(first, first + at.byteLength);
        const tinygltf::Value& ids = packed.Get("attributes");
        for (const auto& [name, index] : primitive.attributes) {
            const tinygltf::Accessor* of = accessor(index);
            if (of == nullptr || !ids.IsObject() || !ids.Has(name) || of->bufferView >= 0)
                continue;
            const tinygltf::Value& id = ids.Get(name);
            const int components = tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(of->type));
            if (!id.IsInt() || id.GetNumberAsInt() < 0 || components < 1 || components > 4)
                return bad("describes its packed " + name + " wrongly");
            wanted.attributes.push_back(name);
            asked.attributes.push_back(
                {static_cast<std::uint32_t>(id.GetNumberAsInt()), static_cast<std::uint32_t>(components)});
        }
        if (std::find(wanted.attributes.begin(), wanted.attributes.end(), "POSITION") == wanted.attributes.end())
            return bad("describes its packed POSITION wrongly");
        m_wanted.push_back(std::move(wanted));
        m_asked.push_back(std::move(asked));
        return {};
    }

    /// Bytes become a buffer of the model with one view of it. Returns the view.
    int hold(const void* bytes, std::size_t size) {
        tinygltf::Buffer buffer;
        const auto* from = static_cast<const unsigned char*>(bytes);
        buffer.data.assign(from, from + size);
        m_model.buffers.push_back(std::move(buffer));
        tinygltf::BufferView view;
        view.buffer = static_cast<int>(m_model.buffers.size()) - 1;
        view.byteLength = size;
        m_model.bufferViews.push_back(std::move(view));
        return static_cast<int>(m_model.bufferViews.size()) - 1;
    }

    /// Another accessor, for what is unpacked: primitives may share what the file has for them. Returns its index.
    int describe(tinygltf::Accessor accessor, int view, int component, std::size_t count) {
        accessor.bufferView = view;
        accessor.byteOffset = 0;
        accessor.componentType = component;
        accessor.normalized = false;
        accessor.count = count;
        m_model.accessors.push_back(std::move(accessor));
        return static_cast<int>(m_model.accessors.size()) - 1;
    }

    /// Whole numbers that stand for shares of one.
    static void makeShares(std::vector<float>& values, int component) {
        const float most = component == TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE    ? 255.0F
                           : component == TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT ? 65535.0F
                           : component == TINYGLTF_COMPONENT_TYPE_BYTE           ? 127.0F
                           : component == TINYGLTF_COMPONENT_TYPE_SHORT          ? 32767.0F
                                                                                 : 1.0F;
        for (float& v : values)
            v = std::max(v / most, -1.0F);
    }

    Result<void> place(const Wanted& wanted, UnpackedPrimitive one) {
        if (one.attributes.size() != wanted.attributes.size() || one.indices.size() % 3 != 0 ||
            std::any_of(one.indices.begin(), one.indices.end(), [&](std::uint32_t i) { return i >= one.points; }))
            return bad("holds packed triangles that are not whole");
        for (std::size_t i = 0; i < wanted.attributes.size(); ++i) {
            int& index = wanted.primitive->attributes[wanted.attributes[i]];
            const tinygltf::Accessor& of = *accessor(index);
            std::vector<float>& values = one.attributes[i].values;
            const auto components =
                static_cast<std::size_t>(tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(of.type)));
            if (values.size() != components * one.points)
                return bad("holds packed triangles that are not whole");
            if (one.attributes[i].whole && of.normalized)
                makeShares(values, of.componentType);
            index = describe(of, hold(values.data(), values.size() * sizeof(float)), TINYGLTF_COMPONENT_TYPE_FLOAT,
                             one.points);
        }
        tinygltf::Accessor corners;
        corners.type = TINYGLTF_TYPE_SCALAR;
        wanted.primitive->indices =
            describe(std::move(corners), hold(one.indices.data(), one.indices.size() * sizeof(std::uint32_t)),
                     TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT, one.indices.size());
        wanted.primitive->mode = TINYGLTF_MODE_TRIANGLES;
        return {};
    }

    tinygltf::Model& m_model;
    std::filesystem::path m_where;
    std::vector<Wanted> m_wanted;
    std::vector<PackedPrimitive> m_asked;
};

} // namespace

std::optional<std::vector<std::byte>> withoutPackedCorners(std::span<const std::byte> data, bool binary) {
    constexpr std::size_t kHeader = 12; // of a binary file; each chunk has eight more bytes
    constexpr std::size_t kChunk = 8;
    std::string_view text(reinterpret_cast<const char*>(data.data()), data.size());
    std::uint32_t length = 0;
    if (binary) {
        std::memcpy(&length, text.data() + kHeader, 4);
        text = text.substr(kHeader + kChunk, length);
    }
    if (text.find(kPackedExtension) == std::string_view::npos)
        return std::nullopt;
    json::ordered_json root = json::ordered_json::parse(text.begin(), text.end(), nullptr, false);
    const auto listIn = [](json::ordered_json& of, const char* name) {
        return of.is_object() && of.contains(name) && of[name].is_array() ? &of[name] : nullptr;
    };
    const json::ordered_json* accessors = listIn(root, "accessors");
    json::ordered_json* meshes = listIn(root, "meshes");
    // An accessor that is there and has no values in the file.
    const auto isPacked = [&](const json::ordered_json& of, const char* name) {
        if (!of.is_object() || !of.contains(name) || !of[name].is_number_unsigned())
            return false;
        const auto at = of[name].get<std::size_t>();
        return at < accessors->size() && !(*accessors)[at].contains("bufferView") &&
               !(*accessors)[at].contains("sparse");
    };
    bool changed = false;
    for (std::size_t m = 0; meshes != nullptr && accessors != nullptr && m < meshes->size(); ++m)
        if (json::ordered_json* primitives = listIn((*meshes)[m], "primitives"))
            for (json::ordered_json& primitive : *primitives) {
                const bool packed = isPacked(primitive, "indices") && primitive.contains("attributes") &&
                                    isPacked(primitive["attributes"], "POSITION") && primitive.contains("extensions") &&
                                    primitive["extensions"].is_object() &&
                                    primitive["extensions"].contains(kPackedExtension) &&
                                    primitive["extensions"][kPackedExtension].is_object();
                if (!packed)
                    continue;
                primitive.erase("indices");
                changed = true;
            }
    if (!changed)
        return std::nullopt;
    std::string plain = root.dump(-1, ' ', false, json::ordered_json::error_handler_t::replace);
    std::vector<std::byte> out;
    const auto add = [&out](const void* from, std::size_t size) {
        const auto* bytes = static_cast<const std::byte*>(from);
        out.insert(out.end(), bytes, bytes + size);
    };
    if (!binary) {
        add(plain.data(), plain.size());
        return out;
    }
    plain.resize((plain.size() + 3) / 4 * 4, ' ');
    const std::span<const std::byte> rest = data.subspan(kHeader + kChunk + length);
    const auto whole = static_cast<std::uint32_t>(kHeader + kChunk + plain.size() + rest.size());
    length = static_cast<std::uint32_t>(plain.size());
    out.reserve(whole);
    add(data.data(), 8);
    add(&whole, 4);
    add(&length, 4);
    add(data.data() + kHeader + 4, 4);
    add(plain.data(), plain.size());
    add(rest.data(), rest.size());
    return out;
}

Result<void> unpackGeometry(tinygltf::Model& model, const std::filesystem::path& where, const JobContext& job) {
    PackedModel packed(model, where);
    if (auto found = packed.collect(); !found)
        return found;
    return packed.unpack(job);
}

} // namespace thicket::detail
