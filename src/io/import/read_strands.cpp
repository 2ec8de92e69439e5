#include "io/import/read_strands.h"

#include "base/file.h"
#include "io/import/load_gltf.h"

#include <algorithm>
#include <charconv>
#include <cstring>
#include <fmt/format.h>

namespace thicket {
namespace {

constexpr const char* kMend = "export the lines again";

Error tooMany(const std::string& where, std::size_t strands, std::size_t points) {
    return {ErrorCode::TooLarge, where,
            fmt::format("holds {} strands with {} points, more than the {} and {} there can be", strands, points,
                        kMostStrands, kMostStrandPoints),
            "divide it into several files"};
}

/// Lines in the making.
struct Lines {
    std::string where;
    StrandSet set;
    std::vector<Vec3d> points; ///< of `set`, exact
    bool widths = false;
    double width = 0; ///< metres, where nothing is said of it
    double unit = 1;
    Up up = Up::Y;

    void begin() {
        if (set.first.empty())
            set.first.push_back(0);
    }
    /// `wide`: as the file says; null: it says nothing.
    void add(const Vec3d& at, const double* wide = nullptr) {
        points.push_back(turnedUp(up, Vec3d(unit * at)));
        set.widths.push_back(static_cast<float>(wide != nullptr ? unit * *wide : width));
    }
    void end() { set.first.push_back(static_cast<std::uint32_t>(points.size())); }
    [[nodiscard]] Result<void> fits(std::size_t more) const {
        if (points.size() + more > kMostStrandPoints || set.first.size() > kMostStrands)
            return tooMany(where, set.size(), points.size() + more);
        return {};
    }
};

Result<void> appendPrimitive(const detail::GltfReader& reader, const tinygltf::Primitive& primitive,
                             const Eigen::Affine3d& world, Lines& out) {
    const auto position = primitive.attributes.find("POSITION");
    if (position == primitive.attributes.end())
        return reader.bad("has lines without positions", kMend);
    auto places = reader.values(position->second, 3, "positions");
    if (!places)
        return places.error();
    const std::size_t count = places->size() / 3;
    std::vector<double> wide;
    const double scale = std::cbrt(std::abs(world.linear().determinant()));
    for (const auto& [name, times] : {std::pair("_RADIUS", 2.0), std::pair("_WIDTH", 1.0)})
        if (const auto found = primitive.attributes.find(name); found != primitive.attributes.end() && wide.empty()) {
            auto read = reader.values(found->second, 1, name);
            if (!read)
                return read.error();
            if (read->size() != count)
                return reader.bad(fmt::format("has {} of {} points, and there are {}", name, read->size(), count),
                                  kMend);
            wide = std::move(*read);
            for (double& w : wide)
                w *= times * scale;
            out.widths = true;
        }
    std::vector<std::uint32_t> run;
    if (primitive.indices >= 0) {
        auto list = reader.values(primitive.indices, 1, "indices");
        if (!list)
            return list.error();
        run.reserve(list->size());
        for (const double index : *list) {
            if (!(index >= 0) || index >= static_cast<double>(count))
                return reader.bad(fmt::format("a line uses point {:.0f}, but there are only {}", index, count), kMend);
            run.push_back(static_cast<std::uint32_t>(index));
        }
    } else {
        for (std::uint32_t i = 0; i < count; ++i)
            run.push_back(i);
    }
    if (auto fits = out.fits(2 * run.size()); !fits)
        return fits;
    const auto add = [&](std::uint32_t i) {
        const Vec3d at((*places)[std::size_t{3} * i], (*places)[std::size_t{3} * i + 1],
                       (*places)[std::size_t{3} * i + 2]);
        out.add(world * at, wide.empty() ? nullptr : &wide[i]);
    };
    out.begin();
    if (primitive.mode == TINYGLTF_MODE_LINE) {
        if (run.size() % 2 != 0)
            return reader.bad("has a list of lines with a single point at its end", kMend);
        for (std::size_t i = 0; i < run.size(); i += 2) {
            const bool goesOn = i > 0 && run[i] == run[i - 1];
            if (!goesOn) {
                if (i > 0)
                    out.end();
                add(run[i]);
            }
            add(run[i + 1]);
        }
    } else {
        for (const std::uint32_t i : run)
            add(i);
        if (primitive.mode == TINYGLTF_MODE_LINE_LOOP && !run.empty())
            add(run.front());
    }
    if (!run.empty())
        out.end();
    return {};
}

Result<void> readGltfLines(const std::filesystem::path& path, std::span<const std::byte> data, const JobContext& job,
                           Lines& out) {
    auto loaded = detail::loadGltf(path, data);
    if (!loaded)
        return loaded.error();
    const tinygltf::Model& model = loaded->model;
    const detail::GltfReader reader{model, path.string()};
    for (const detail::PlacedNode& placed : detail::placedNodes(model)) {
        const int mesh = model.nodes[static_cast<std::size_t>(placed.node)].mesh;
        if (mesh < 0 || mesh >= static_cast<int>(model.meshes.size()))
            continue;
        for (const tinygltf::Primitive& primitive : model.meshes[static_cast<std::size_t>(mesh)].primitives) {
            if (primitive.mode != TINYGLTF_MODE_LINE && primitive.mode != TINYGLTF_MODE_LINE_LOOP &&
                primitive.mode != TINYGLTF_MODE_LINE_STRIP)
                continue;
            if (job.cancelled())
                return cancelledError();
            if (auto done = appendPrimitive(reader, primitive, placed.transform, out); !done)
                return done;
        }
    }
    return {};
}

/// `v` and `l` of an OBJ; everything else is passed over.
Result<void> readObjLines(const std::string& where, std::string_view text, const JobContext& job, Lines& out) {
    std::vector<Vec3d> vertices;
    std::size_t number = 0;
    const auto bad = [&](const std::string& what) {
        return Error{ErrorCode::BadInput, where, fmt::format("line {}: {}", number, what), kMend};
    };
    constexpr std::size_t kLookEach = 65536;
    while (!text.empty()) {
        const std::size_t end = text.find('\n');
        std::string_view row = text.substr(0, end);
        text = end == std::string_view::npos ? std::string_view() : text.substr(end + 1);
        if (++number % kLookEach == 0 && job.cancelled())
            return cancelledError();
        const auto next = [&row]() -> std::string_view {
            while (!row.empty() && (row.front() == ' ' || row.front() == '\t' || row.front() == '\r'))
                row.remove_prefix(1);
            const std::size_t stop = row.find_first_of(" \t\r");
            const std::string_view word = row.substr(0, stop);
            row = stop == std::string_view::npos ? std::string_view() : row.substr(stop);
            return word;
        };
        const std::string_view kind = next();
        if (kind == "v") {
            Vec3d at;
            for (double* value : {&at.x(), &at.y(), &at.z()}) {
                const std::string_view word = next();
                if (std::from_chars(word.data(), word.data() + word.size(), *value).ec != std::errc())
                    return bad("a vertex needs three numbers");
            }
            if (vertices.size() >= kMostStrandPoints)
                return tooMany(where, out.set.size(), vertices.size() + 1);
            vertices.push_back(at);
        } else if (kind == "l") {
            out.begin();
            std::size_t count = 0;
            for (std::string_view word = next(); !word.empty(); word = next(), ++count) {
                std::int64_t index = 0;
                const auto read = std::from_chars(word.data(), word.data() + word.size(), index);
                if (read.ec != std::errc())
                    return bad("a line needs numbers of vertices");
                if (index < 0)
                    index += static_cast<std::int64_t>(vertices.size()) + 1;
                if (index < 1 || index > static_cast<std::int64_t>(vertices.size()))
                    return bad(fmt::format("uses vertex {}, and there are {} above it", word, vertices.size()));
                out.add(vertices[static_cast<std::size_t>(index - 1)]);
            }
            if (count < 2)
                return bad("a strand has a single point");
            out.end();
            if (auto fits = out.fits(0); !fits)
                return fits;
        }
    }
    return {};
}

} // namespace

Result<ReadStrands> readStrands(const std::filesystem::path& path, const StrandReading& how, const JobContext& job) {
    job.report(0, "reading " + path.filename().string());
    std::string suffix = path.extension().string();
    std::transform(suffix.begin(), suffix.end(), suffix.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (suffix != ".glb" && suffix != ".gltf" && suffix != ".obj")
        return Error{ErrorCode::BadInput, path.string(), "is no file that lines are read from",
                     "give a glTF, GLB or OBJ file"};
    constexpr std::uintmax_t kMostBytes = 0xFFFFFFFF;
    const auto data = readFile(path, kMostBytes);
    if (!data)
        return data.error();
    Lines lines;
    lines.where = path.string();
    lines.width = how.width;
    lines.unit = how.unit;
    lines.up = how.up;
    const auto read =
        suffix == ".obj"
            ? readObjLines(lines.where, {reinterpret_cast<const char*>(data->data()), data->size()}, job, lines)
            : readGltfLines(path, *data, job, lines);
    if (!read)
        return read.error();
    if (lines.set.size() == 0)
        return Error{ErrorCode::BadInput, path.string(), "holds no lines", "choose a file with lines or curves"};
    for (const Vec3d& p : lines.points)
        if (!p.allFinite() || p.cwiseAbs().maxCoeff() > 1e12)
            return Error{ErrorCode::BadInput, path.string(), "a place is no number, or too far away", kMend};
    // Relative to the first, whole metres, so that what stands far away is as exact as floats can be.
    lines.set.origin = lines.points.front().array().round();
    lines.set.points.reserve(lines.points.size());
    for (const Vec3d& p : lines.points)
        lines.set.points.emplace_back((p - lines.set.origin).cast<float>());
    if (auto sound = checkStrands(lines.set, path.string()); !sound)
        return sound.error();
    centreStrands(lines.set);
    ReadStrands out;
    if (how.keepOrder) {
        out.set = std::move(lines.set);
    } else {
        auto ordered = inStrandOrder(lines.set, job.part(0.5, 1));
        if (!ordered)
            return ordered.error();
        out.set = std::move(*ordered);
    }
    out.hash = contentHash(*data);
    out.widths = lines.widths;
    if (!out.widths)
        out.notes.push_back(fmt::format("the file says nothing of widths: {:g} mm were taken", 1000 * how.width));
    return out;
}

} // namespace thicket
