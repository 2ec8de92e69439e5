// The reader's side of unpacking: it may break off on what is damaged, which costs its process.

#include "io/import/ask_reader.h"
#include "io/import/import.h"
#include "io/import/packed_wire.h"

#include <array>
#include <draco/compression/decode.h>

namespace thicket::detail {
namespace {

template <class T>
bool readAttribute(const draco::PointAttribute& from, std::uint32_t points, std::uint32_t components,
                   std::vector<float>& out) {
    std::array<T, 4> value{};
    out.reserve(std::size_t{points} * components);
    for (std::uint32_t i = 0; i < points; ++i) {
        if (!from.ConvertValue<T>(from.mapped_index(draco::PointIndex(i)), static_cast<std::int8_t>(components),
                                  value.data()))
            return false;
        for (std::uint32_t c = 0; c < components; ++c)
            out.push_back(static_cast<float>(value[c]));
    }
    return true;
}

UnpackedPrimitive unpacked(const PackedPrimitive& packed) {
    UnpackedPrimitive out;
    draco::DecoderBuffer buffer;
    buffer.Init(reinterpret_cast<const char*>(packed.bytes.data()), packed.bytes.size());
    draco::Decoder decoder;
    auto decoded = decoder.DecodeMeshFromBuffer(&buffer);
    if (!decoded.ok() || decoded.value() == nullptr) {
        out.fault = decoded.status().error_msg_string();
        if (out.fault.empty())
            out.fault = "no triangles";
        return out;
    }
    const draco::Mesh& mesh = *decoded.value();
    out.points = mesh.num_points();
    out.indices.reserve(std::size_t{3} * mesh.num_faces());
    for (std::uint32_t f = 0; f < mesh.num_faces(); ++f)
        for (const draco::PointIndex& corner : mesh.face(draco::FaceIndex(f)))
            out.indices.push_back(corner.value());
    for (const PackedPrimitive::Attribute& wanted : packed.attributes) {
        const draco::PointAttribute* attribute = mesh.GetAttributeByUniqueId(wanted.id);
        if (attribute == nullptr || wanted.components < 1 || wanted.components > 4) {
            out.fault = "an attribute is missing";
            return out;
        }
        UnpackedPrimitive::Attribute& own = out.attributes.emplace_back();
        own.whole = attribute->data_type() != draco::DT_FLOAT32 && attribute->data_type() != draco::DT_FLOAT64;
        const bool read = own.whole ? readAttribute<std::int32_t>(*attribute, out.points, wanted.components, own.values)
                                    : readAttribute<float>(*attribute, out.points, wanted.components, own.values);
        if (!read) {
            out.fault = "an attribute is of a type that does not fit";
            return out;
        }
    }
    return out;
}

} // namespace

int serveUnpacking(int from, int to) {
    const std::vector<char> bytes = receiveAll(from);
    fenceIn(bytes.size());
    Packer packer;
    try {
        Unpacker asked(bytes);
        for (auto n = asked.plain<std::uint64_t>(); n > 0 && asked.whole(); --n)
            pack(packer, unpacked(packedFrom(asked)));
        if (!asked.whole())
            return 1;
    } catch (...) {
        return 1;
    }
    return sendAll(to, packer.bytes().data(), packer.bytes().size()) ? 0 : 1;
}

} // namespace thicket::detail
