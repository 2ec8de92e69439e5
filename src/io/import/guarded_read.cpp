#include "io/import/ask_reader.h"
#include "io/import/import.h"
#include "io/import/other_rig.h"
#include "io/import/other_surfaces.h"
#include "io/import/packer.h"

#include <algorithm>
#include <cmath>

namespace thicket::detail {
namespace {

void pack(Packer& to, const Rig& rig) {
    to.plain<std::uint64_t>(rig.nodes.size());
    for (const RigNode& node : rig.nodes) {
        to.text(node.name);
        to.plain(node.parent);
        to.array(std::vector<float>(node.translation.data(), node.translation.data() + 3));
        to.array(std::vector<float>(node.rotation.data(), node.rotation.data() + 4));
        to.array(std::vector<float>(node.scale.data(), node.scale.data() + 3));
    }
    to.array(rig.joints);
    to.array(rig.inverseBind);
    to.plain<std::uint64_t>(rig.animations.size());
    for (const RigAnimation& animation : rig.animations) {
        to.text(animation.name);
        to.plain<std::uint64_t>(animation.channels.size());
        for (const RigChannel& channel : animation.channels) {
            to.plain(channel.node);
            to.plain(channel.path);
            to.array(channel.times);
            to.array(channel.values);
        }
    }
}

template <int N> Eigen::Matrix<float, N, 1> unpackVector(Unpacker& from) {
    std::vector<float> values = from.array<float>();
    values.resize(N);
    return Eigen::Map<const Eigen::Matrix<float, N, 1>>(values.data());
}

Rig unpackRig(Unpacker& from) {
    Rig rig;
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        RigNode node;
        node.name = from.text();
        node.parent = from.plain<int>();
        node.translation = unpackVector<3>(from);
        node.rotation = unpackVector<4>(from);
        node.scale = unpackVector<3>(from);
        rig.nodes.push_back(std::move(node));
    }
    rig.joints = from.array<int>();
    rig.inverseBind = from.array<std::array<float, 16>>();
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        RigAnimation animation{from.text(), {}};
        for (auto c = from.plain<std::uint64_t>(); c > 0 && from.whole(); --c) {
            RigChannel channel;
            channel.node = from.plain<int>();
            channel.path = from.plain<RigChannel::Path>();
            channel.times = from.array<float>();
            channel.values = from.array<float>();
            animation.channels.push_back(std::move(channel));
        }
        rig.animations.push_back(std::move(animation));
    }
    return rig;
}

void pack(Packer& to, const Surfaces& s) {
    to.plain<std::uint64_t>(s.images.size());
    for (const Image& image : s.images) {
        to.text(image.name);
        to.text(image.mimeType);
        to.array(image.encoded);
    }
    to.plain<std::uint64_t>(s.materials.size());
    for (const Material& m : s.materials) {
        // What the import library's reader fills in; the rest keeps its defaults.
        to.text(m.name);
        for (Eigen::Index i = 0; i < 4; ++i)
            to.plain(m.baseColor[i]);
        for (Eigen::Index i = 0; i < 3; ++i)
            to.plain(m.emissive[i]);
        to.plain(m.metallic);
        to.plain(m.roughness);
        to.plain(m.alphaMode);
        to.plain(m.doubleSided);
        for (const int image :
             {m.baseColorImage, m.metallicRoughnessImage, m.normalImage, m.occlusionImage, m.emissiveImage})
            to.plain(image);
    }
}

Surfaces unpackSurfaces(Unpacker& from) {
    Surfaces s;
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        Image image;
        image.name = from.text();
        image.mimeType = from.text();
        image.encoded = from.array<std::byte>();
        s.images.push_back(std::move(image));
    }
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        Material m;
        m.name = from.text();
        for (Eigen::Index i = 0; i < 4; ++i)
            m.baseColor[i] = from.plain<float>();
        for (Eigen::Index i = 0; i < 3; ++i)
            m.emissive[i] = from.plain<float>();
        m.metallic = from.plain<float>();
        m.roughness = from.plain<float>();
        m.alphaMode = from.plain<AlphaMode>();
        m.doubleSided = from.plain<bool>();
        for (int* image :
             {&m.baseColorImage, &m.metallicRoughnessImage, &m.normalImage, &m.occlusionImage, &m.emissiveImage})
            *image = from.plain<int>();
        s.materials.push_back(std::move(m));
    }
    return s;
}

void pack(Packer& to, const Placements& placed) {
    std::vector<double> values;
    for (const Placement& p : placed)
        values.insert(values.end(), {p.position.x(), p.position.y(), p.position.z(), p.rotation.w(), p.rotation.x(),
                                     p.rotation.y(), p.rotation.z(), p.scale});
    to.array(values);
}

Placements unpackPlacements(Unpacker& from) {
    constexpr std::size_t kEach = 8;
    const std::vector<double> values = from.array<double>();
    Placements placed;
    for (std::size_t i = 0; i + kEach <= values.size(); i += kEach) {
        const double* v = &values[i];
        Placement p;
        p.position = Vec3d(v[0], v[1], v[2]);
        p.rotation = Quatd(v[3], v[4], v[5], v[6]);
        p.scale = v[7];
        placed.push_back(p);
    }
    return placed;
}

bool isSound(const Placement& p) {
    return p.position.allFinite() && std::abs(p.rotation.norm() - 1) < 1e-6 && p.scale > 0 && std::isfinite(p.scale);
}

/// `surfaces`: of the subject before; those that are the same are not written again.
void pack(Packer& to, const ImportedSubject& s, const Surfaces* surfaces) {
    to.text(s.name);
    to.text(s.source.family);
    to.plain(s.source.things);
    to.plain(s.ofWhole);
    to.plain<std::uint64_t>(s.notes.size());
    for (const std::string& note : s.notes)
        to.text(note);
    to.plain(s.surfaces.get() == surfaces);
    if (s.surfaces.get() != surfaces)
        pack(to, *s.surfaces);
    pack(to, s.placed);
    to.plain(s.metresPerUnit);
    to.plain<std::uint64_t>(s.levels.size());
    for (const ImportedLevel& level : s.levels) {
        to.text(level.name);
        to.plain(level.named);
        to.array(level.mesh.positions);
        to.array(level.mesh.normals);
        to.array(level.mesh.uvs);
        to.array(level.mesh.colors);
        to.array(level.mesh.indices);
        to.array(level.mesh.parts);
        to.array(level.mesh.extras.joints);
        to.array(level.mesh.extras.weights);
    }
    pack(to, s.rig);
}

ImportedSubject unpackSubject(Unpacker& from, const std::shared_ptr<const Surfaces>& surfaces) {
    ImportedSubject s;
    s.name = from.text();
    s.source.family = from.text();
    s.source.things = from.plain<std::uint32_t>();
    s.ofWhole = from.plain<bool>();
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n)
        s.notes.push_back(from.text());
    s.surfaces = from.plain<bool>() && surfaces ? surfaces : sharedSurfaces(unpackSurfaces(from));
    s.placed = unpackPlacements(from);
    s.metresPerUnit = from.plain<double>();
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        ImportedLevel level;
        level.name = from.text();
        level.named = from.plain<int>();
        level.mesh.positions = from.array<Vec3f>();
        level.mesh.normals = from.array<Vec3f>();
        level.mesh.uvs = from.array<Vec2f>();
        level.mesh.colors = from.array<Vec4f>();
        level.mesh.indices = from.array<std::uint32_t>();
        level.mesh.parts = from.array<MeshPart>();
        level.mesh.extras.joints = from.array<Joints>();
        level.mesh.extras.weights = from.array<Vec4f>();
        s.levels.push_back(std::move(level));
    }
    s.rig = unpackRig(from);
    return s;
}

/// What reading a file is allowed for, as bytes of a file without pictures: these take a twentieth of the time.
std::uint64_t workIn(const std::filesystem::path& path) {
    constexpr std::uint64_t kLighter = 20;
    std::error_code ec;
    const auto size = std::filesystem::file_size(path, ec);
    return (ec ? 0 : size) + picturesBeside(path) / kLighter;
}

} // namespace

int serveReader(const std::filesystem::path& path, Meshes how, int fd) {
    fenceIn(workIn(path));
    Packer packer;
    try {
        const auto read = readOther(path, how, {});
        packer.plain(read.has_value());
        if (read) {
            packer.plain<std::uint64_t>(read->size());
            const Surfaces* before = nullptr;
            for (const ImportedSubject& subject : *read) {
                pack(packer, subject, before);
                before = subject.surfaces.get();
            }
        } else {
            packer.plain(read.error().code);
            packer.text(read.error().where);
            packer.text(read.error().what);
            packer.text(read.error().remedy);
        }
    } catch (...) {
        return 1;
    }
    return sendAll(fd, packer.bytes().data(), packer.bytes().size()) ? 0 : 1;
}

Result<std::vector<ImportedSubject>> readOtherGuarded(const std::filesystem::path& path, Meshes how,
                                                      const JobContext& job) {
    const auto damaged = [&](const char* what) {
        return Error{ErrorCode::BadInput, path.string(), what,
                     "the file is likely damaged; export it again, best as glTF"};
    };
    const auto bytes = askReader(how == Meshes::Apart ? std::vector<std::string>{path.string(), kApartArgument}
                                                      : std::vector<std::string>{path.string()},
                                 {}, workIn(path), path, job);
    if (!bytes)
        return bytes.error();
    Unpacker packed(*bytes);
    if (!packed.plain<bool>()) {
        Error error;
        error.code = packed.plain<ErrorCode>();
        error.where = packed.text();
        error.what = packed.text();
        error.remedy = packed.text();
        return error;
    }
    std::vector<ImportedSubject> subjects;
    for (auto n = packed.plain<std::uint64_t>(); n > 0 && packed.whole(); --n)
        subjects.push_back(unpackSubject(packed, subjects.empty() ? nullptr : subjects.back().surfaces));
    const bool sound = std::all_of(subjects.begin(), subjects.end(), [](const ImportedSubject& s) {
        return isSound(s.rig) &&
               std::all_of(s.placed.begin(), s.placed.end(), [](const Placement& p) { return isSound(p); }) &&
               std::all_of(s.levels.begin(), s.levels.end(),
                           [&s](const ImportedLevel& level) { return isSound(level.mesh.extras, s.rig); });
    });
    if (!packed.whole() || !sound)
        return damaged("could not be read whole");
    return subjects;
}

} // namespace thicket::detail
