#pragma once
// What is said between who reads a glTF file and the reader that unpacks its triangles.

#include "io/import/packer.h"

namespace thicket::detail {

struct PackedPrimitive {
    struct Attribute {
        std::uint32_t id = 0; ///< as the packed data number it
        std::uint32_t components = 0;
    };
    std::vector<unsigned char> bytes;
    std::vector<Attribute> attributes; ///< that are wanted
};

struct UnpackedPrimitive {
    struct Attribute {
        bool whole = false;        ///< whole numbers, not fractions
        std::vector<float> values; ///< of each point all components
    };
    std::string fault; ///< empty: it was unpacked
    std::uint32_t points = 0;
    std::vector<std::uint32_t> indices; ///< three a triangle
    std::vector<Attribute> attributes;  ///< in the order in which they were asked for
};

inline void pack(Packer& to, const PackedPrimitive& one) {
    to.array(one.bytes);
    to.array(one.attributes);
}
inline PackedPrimitive packedFrom(Unpacker& from) {
    PackedPrimitive out;
    out.bytes = from.array<unsigned char>();
    out.attributes = from.array<PackedPrimitive::Attribute>();
    return out;
}

inline void pack(Packer& to, const UnpackedPrimitive& one) {
    to.text(one.fault);
    to.plain(one.points);
    to.array(one.indices);
    to.plain<std::uint64_t>(one.attributes.size());
    for (const UnpackedPrimitive::Attribute& attribute : one.attributes) {
        to.plain(attribute.whole);
        to.array(attribute.values);
    }
}
inline UnpackedPrimitive unpackedFrom(Unpacker& from) {
    UnpackedPrimitive out;
    out.fault = from.text();
    out.points = from.plain<std::uint32_t>();
    out.indices = from.array<std::uint32_t>();
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        UnpackedPrimitive::Attribute attribute;
        attribute.whole = from.plain<bool>();
        attribute.values = from.array<float>();
        out.attributes.push_back(std::move(attribute));
    }
    return out;
}

} // namespace thicket::detail
