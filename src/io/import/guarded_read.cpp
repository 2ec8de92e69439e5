#include "io/import/ask_reader.h"
#include "io/import/import.h"
#include "io/import/other_rig.h"
#include "io/import/other_surfaces.h"
#include "io/import/packer.h"

#include <algorithm>

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

void pack(Packer& to, const ImportedSubject& s) {
    to.text(s.name);
    to.text(s.source.family);
    to.plain<std::uint64_t>(s.notes.size());
    for (const std::string& note : s.notes)
        to.text(note);
    to.plain<std::uint64_t>(s.surfaces.images.size());
    for (const Image& image : s.surfaces.images) {
        to.text(image.name);
        to.text(image.mimeType);
        to.array(image.encoded);
    }
    to.plain<std::uint64_t>(s.surfaces.materials.size());
    for (const Material& m : s.surfaces.materials) {
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

ImportedSubject unpackSubject(Unpacker& from) {
    ImportedSubject s;
    s.name = from.text();
    s.source.family = from.text();
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n)
        s.notes.push_back(from.text());
    for (auto n = from.plain<std::uint64_t>(); n > 0 && from.whole(); --n) {
        Image image;
        image.name = from.text();
        image.mimeType = from.text();
        image.encoded = from.array<std::byte>();
        s.surfaces.images.push_back(std::move(image));
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
        s.surfaces.materials.push_back(std::move(m));
    }
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

int serveReader(const std::filesystem::path& path, int fd) {
    fenceIn(workIn(path));
    Packer packer;
    try {
        const auto read = readOther(path, {});
        packer.plain(read.has_value());
        if (read) {
            packer.plain<std::uint64_t>(read->size());
            for (const ImportedSubject& subject : *read)
                pack(packer, subject);
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

Result<std::vector<ImportedSubject>> readOtherGuarded(const std::filesystem::path& path, const JobContext& job) {
    const auto damaged = [&](const char* what) {
        return Error{ErrorCode::BadInput, path.string(), what,
                     "the file is likely damaged; export it again, best as glTF"};
    };
    const auto bytes = askReader({path.string()}, {}, workIn(path), path, job);
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
        subjects.push_back(unpackSubject(packed));
    const bool sound = std::all_of(subjects.begin(), subjects.end(), [](const ImportedSubject& s) {
        return isSound(s.rig) && std::all_of(s.levels.begin(), s.levels.end(), [&s](const ImportedLevel& level) {
                   return isSound(level.mesh.extras, s.rig);
               });
    });
    if (!packed.whole() || !sound)
        return damaged("could not be read whole");
    return subjects;
}

} // namespace thicket::detail
