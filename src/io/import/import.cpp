#include "io/import/import.h"

#include "base/file.h"
#include "base/text.h"
#include "scene/mend_subject.h"
#include "scene/thin_subject.h"

#include <algorithm>
#include <fmt/format.h>

namespace thicket {
namespace fs = std::filesystem;

LevelName splitLevelName(const std::string& name) {
    const auto isDigit = [](char c) { return c >= '0' && c <= '9'; };
    const auto separates = [](char c) { return c == '_' || c == '.' || c == '-' || c == ' '; };
    std::size_t at = name.size();
    int number = 0;
    for (int place = 1; place <= 10 && at > 0 && isDigit(name[at - 1]); place *= 10)
        number += place * (name[--at] - '0');
    if (at == name.size())
        return {name, -1};
    if (at > 0 && separates(name[at - 1]))
        --at;
    if (at < 4 || !separates(name[at - 4]))
        return {name, -1};
    for (std::size_t k = 0; k < 3; ++k)
        if ((name[at - 3 + k] | 0x20) != "lod"[k]) // in either case
            return {name, -1};
    return {name.substr(0, at - 4), number};
}

std::vector<std::string> readableSuffixes() {
    return {".glb", ".gltf", ".obj", ".ply", ".stl", ".dae", ".fbx",
            ".3ds", ".off",  ".x3d", ".3mf", ".lwo", ".ac",  ".ms3d"};
}

namespace detail {

void finishFamily(ImportedSubject& subject) {
    std::stable_sort(subject.levels.begin(), subject.levels.end(), [](const ImportedLevel& a, const ImportedLevel& b) {
        return a.mesh.triangleCount() > b.mesh.triangleCount();
    });
    const Bounds first = boundsOf(subject.levels.front().mesh);
    for (std::size_t i = 1; i < subject.levels.size(); ++i) {
        Mesh& mesh = subject.levels[i].mesh;
        const Bounds own = boundsOf(mesh);
        const Vec3d shift = first.centre() - own.centre();
        const bool sameSize = std::abs(own.diagonal() - first.diagonal()) < 0.1 * first.diagonal();
        if (!sameSize || shift.norm() < 0.1 * first.diagonal())
            continue;
        for (Vec3f& p : mesh.positions)
            p += shift.cast<float>();
        subject.notes.push_back(fmt::format("{} stood {:.2f} m beside the first level and was moved onto it",
                                            subject.levels[i].name, shift.norm()));
    }
}

} // namespace detail

void toMetres(ImportedSubject& subject) {
    if (subject.metresPerUnit == 1)
        return;
    for (ImportedLevel& level : subject.levels)
        for (Vec3f& p : level.mesh.positions)
            p *= static_cast<float>(subject.metresPerUnit);
    for (Placement& standing : subject.placed)
        standing.position *= subject.metresPerUnit;
    subject.metresPerUnit = 1;
}

namespace {

/// Lets the levels of one file hang on the bones of another, which may have them in another order: by their names.
void joinRigs(ImportedSubject& family, ImportedSubject& subject) {
    if (subject.rig.joints.empty())
        return;
    std::vector<int> nodeOf;
    for (const RigNode& node : subject.rig.nodes) {
        auto& nodes = family.rig.nodes;
        const auto same = std::find_if(nodes.begin(), nodes.end(),
                                       [&node](const RigNode& n) { return !node.name.empty() && n.name == node.name; });
        nodeOf.push_back(static_cast<int>(same - nodes.begin()));
        if (same == nodes.end()) {
            nodes.push_back(node);
            if (node.parent >= 0)
                nodes.back().parent = nodeOf[static_cast<std::size_t>(node.parent)];
        }
    }
    constexpr std::size_t kMostJoints = 65536; // that vertices can tell apart
    const std::size_t before = family.rig.joints.size();
    std::vector<std::uint16_t> jointOf;
    for (std::size_t j = 0; j < subject.rig.joints.size(); ++j) {
        const int node = nodeOf[static_cast<std::size_t>(subject.rig.joints[j])];
        const auto& bind = subject.rig.inverseBind[j];
        std::size_t k = 0;
        while (k < family.rig.joints.size() && (family.rig.joints[k] != node || family.rig.inverseBind[k] != bind))
            ++k;
        if (k == family.rig.joints.size()) {
            family.rig.joints.push_back(node);
            family.rig.inverseBind.push_back(bind);
        }
        jointOf.push_back(static_cast<std::uint16_t>(k));
    }
    if (family.rig.joints.size() > kMostJoints) {
        for (ImportedLevel& level : subject.levels) {
            level.mesh.extras.joints.clear();
            level.mesh.extras.weights.clear();
        }
        family.rig.joints.resize(before);
        family.rig.inverseBind.resize(before);
        family.notes.push_back(subject.source.path.filename().string() +
                               " has more joints than fit beside the others', and stands still");
        return;
    }
    for (ImportedLevel& level : subject.levels)
        for (Joints& joints : level.mesh.extras.joints)
            for (std::uint16_t& joint : joints)
                joint = jointOf[joint];
    if (!family.rig.animations.empty())
        return;
    for (RigAnimation& animation : subject.rig.animations) {
        for (RigChannel& channel : animation.channels)
            if (channel.node >= 0)
                channel.node = nodeOf[static_cast<std::size_t>(channel.node)];
        family.rig.animations.push_back(std::move(animation));
    }
}

} // namespace

std::vector<ImportedSubject> joinFamilies(std::vector<ImportedSubject> subjects) {
    std::vector<ImportedSubject> joined;
    for (ImportedSubject& subject : subjects) {
        const LevelName split = splitLevelName(subject.source.path.stem().string());
        ImportedSubject* family = nullptr;
        const bool named = split.level >= 0 && subject.levels.size() == 1 && subject.source.family.empty();
        if (named)
            for (ImportedSubject& candidate : joined)
                if (candidate.name == split.base)
                    family = &candidate;
        if (family == nullptr) {
            if (named)
                subject.name = split.base;
            joined.push_back(std::move(subject));
            continue;
        }
        if (subject.metresPerUnit != family->metresPerUnit) {
            toMetres(*family);
            toMetres(subject);
        }
        joinRigs(*family, subject);
        Surfaces both = *family->surfaces;
        const auto materials = static_cast<std::uint32_t>(both.materials.size());
        const auto images = static_cast<int>(both.images.size());
        for (Material material : subject.surfaces->materials) {
            for (int* image : {&material.baseColorImage, &material.metallicRoughnessImage, &material.normalImage,
                               &material.occlusionImage, &material.emissiveImage})
                if (*image >= 0)
                    *image += images;
            both.materials.push_back(material);
        }
        both.images.insert(both.images.end(), subject.surfaces->images.begin(), subject.surfaces->images.end());
        family->surfaces = std::make_shared<const Surfaces>(std::move(both));
        for (ImportedLevel& level : subject.levels) {
            for (MeshPart& part : level.mesh.parts)
                part.material += materials;
            family->levels.push_back(std::move(level));
        }
        family->notes.push_back("joined with " + subject.source.path.filename().string());
        detail::finishFamily(*family);
    }
    return joined;
}

namespace {
void makeNamesValid(ImportedSubject& subject) {
    subject.name = validUtf8(subject.name);
    subject.source.family = validUtf8(subject.source.family);
    for (ImportedLevel& level : subject.levels)
        level.name = validUtf8(level.name);
    for (std::string& note : subject.notes)
        note = validUtf8(note);
}
} // namespace

std::shared_ptr<const Surfaces> detail::sharedSurfaces(Surfaces surfaces) {
    for (Material& material : surfaces.materials)
        material.name = validUtf8(material.name);
    for (Image& image : surfaces.images)
        image.name = validUtf8(image.name);
    if (surfaces.materials.empty())
        surfaces.materials.emplace_back();
    const auto images = static_cast<int>(surfaces.images.size());
    for (Material& m : surfaces.materials)
        for (int* image :
             {&m.baseColorImage, &m.metallicRoughnessImage, &m.normalImage, &m.occlusionImage, &m.emissiveImage})
            *image = *image < images ? *image : -1;
    return std::make_shared<const Surfaces>(std::move(surfaces));
}

Result<std::vector<ImportedSubject>> readModel(const fs::path& path, const JobContext& job, Meshes how) {
    job.report(0, "reading " + path.filename().string());
    std::string suffix = path.extension().string();
    std::transform(suffix.begin(), suffix.end(), suffix.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    constexpr std::uintmax_t kMostGltf = 0xFFFFFFFF; // sizes in a GLB are 32 bits wide
    auto data = readFile(path, suffix == ".glb" || suffix == ".gltf" ? kMostGltf : kAnySize);
    if (!data)
        return data.error();
    if (data->empty())
        return Error{ErrorCode::BadInput, path.string(), "the file is empty", "export it again"};
    const std::string hash = contentHash(*data);
    const std::string_view text(reinterpret_cast<const char*>(data->data()), data->size());
    const bool lines = suffix == ".obj" && text.find("\nl ") != std::string_view::npos;
    Result<std::vector<ImportedSubject>> read = std::vector<ImportedSubject>{};
    try {
        if (suffix == ".glb" || suffix == ".gltf") {
            read = detail::readGltf(path, *data, how, job);
        } else {
            data->clear();
            data->shrink_to_fit();
            read = detail::readOtherGuarded(path, how, job);
        }
    } catch (const std::bad_alloc&) {
        return Error{ErrorCode::TooLarge, path.string(), "needs more memory than there is",
                     "split the file or close other projects"};
    } catch (const std::exception& e) {
        return Error{ErrorCode::BadInput, path.string(), fmt::format("cannot be understood ({})", e.what()),
                     "export it again"};
    }
    if (!read)
        return read.error();
    if (job.cancelled())
        return cancelledError();
    if (lines && !read->empty())
        read->front().notes.emplace_back(kLinesNote);
    for (ImportedSubject& subject : *read) {
        subject.source.path = fs::absolute(path).lexically_normal();
        subject.source.hash = hash;
        subject.source.apart = how == Meshes::Apart;
        makeNamesValid(subject);
        for (ImportedLevel& level : subject.levels) {
            if (auto fine = checkMesh(level.mesh, path.string()); !fine)
                return fine.error();
            dropUnusedVertices(level.mesh);
            if (const std::uint32_t mended = mendAttributes(level.mesh); mended > 0)
                subject.notes.push_back(fmt::format(
                    "{}: {} normals, UVs or colours that were no numbers were set right", level.name, mended));
        }
        if (subject.levels.size() > 1)
            detail::finishFamily(subject);
    }
    return read;
}

Result<Subject> makeSubject(ImportedSubject imported, const JobContext& job) {
    Subject subject;
    subject.name = imported.name;
    subject.source = imported.source;
    subject.mesh().surfaces = std::move(imported.surfaces);
    if (!imported.rig.empty())
        subject.mesh().rig = std::make_shared<const Rig>(std::move(imported.rig));
    for (ImportedLevel& level : imported.levels) {
        Level own = levelFrom(std::make_shared<const Mesh>(std::move(level.mesh)), {},
                              subject.mesh().levels.empty() ? LevelOrigin::Source : LevelOrigin::HandMade);
        subject.mesh().levels.push_back(std::move(own));
    }
    for (Placement& standing : imported.placed)
        standing.position *= imported.metresPerUnit;
    if (!imported.placed.empty())
        subject.mesh().placed = std::make_shared<const Placements>(std::move(imported.placed));
    refreshSubject(subject);
    job.report(0.1, "checking " + subject.name);
    auto measured = measureLevels(subject, job.part(0.3, 1));
    if (!measured)
        return measured.error();
    // The coverage of a level is the least at which it shows; the next level takes over below it.
    for (std::size_t i = 1; i < measured->mesh().levels.size() && i - 1 < imported.screenCoverages.size(); ++i)
        measured->mesh().levels[i].fixed = FixedSwitch{DecideBy::ScreenHeight, imported.screenCoverages[i - 1]};
    if (!imported.screenCoverages.empty())
        measured->rule.decideBy = DecideBy::ScreenHeight;
    // One more than there are switches is the height below which nothing is drawn.
    if (imported.screenCoverages.size() == measured->mesh().levels.size())
        measured->rule.cullBelowPx = std::clamp(imported.screenCoverages.back() * View().lines, 0.0, 400.0);
    if (imported.metresPerUnit != 1) {
        auto scaled = mendSubject(*measured, {MendKind::Unit, imported.metresPerUnit}, {});
        if (!scaled)
            return scaled.error();
        measured = std::move(scaled->subject);
    }
    measured->findings = findProblems(*measured);
    return measured;
}

} // namespace thicket
