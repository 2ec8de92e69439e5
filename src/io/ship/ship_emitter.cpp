#include "io/ship/ship_emitter.h"

#include "base/file.h"
#include "image/image.h"
#include "io/json/emitter_json.h"
#include "io/project/emitter_file.h"
#include "scene/emitter_subject.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr int kMoments = 4;
constexpr double kMomentSeconds = 1.5;

Error differs(const fs::path& file) {
    return {ErrorCode::CheckFailed, file.string(), "read back, it differs", "check the disk"};
}

/// Soft discs over each other, the farthest first.
void draw(const std::vector<EmitterPart>& parts, const std::vector<Particle>& sorted, const Bounds& box, int side,
          int left, int top, int stride, std::vector<Vec3f>& picture) {
    const Vec3d size = box.size();
    const double metre = side / std::max({size.x(), size.y(), 1e-6});
    for (const Particle& p : sorted) {
        const double x = side / 2.0 + (static_cast<double>(p.place.x()) - box.centre().x()) * metre;
        const double y = side / 2.0 - (static_cast<double>(p.place.y()) - box.centre().y()) * metre;
        const double r = std::max(static_cast<double>(p.size) * metre / 2, 0.7);
        for (int py = std::max(0, static_cast<int>(y - r)); py <= std::min(side - 1, static_cast<int>(y + r)); ++py)
            for (int px = std::max(0, static_cast<int>(x - r)); px <= std::min(side - 1, static_cast<int>(x + r));
                 ++px) {
                const double d = std::hypot(px + 0.5 - x, py + 0.5 - y) / r;
                if (d >= 1)
                    continue;
                const float a = p.opacity * static_cast<float>((1 - d * d) * (1 - d * d));
                Vec3f& at = picture[static_cast<std::size_t>(top + py) * static_cast<std::size_t>(stride) +
                                    static_cast<std::size_t>(left + px)];
                at = parts[p.part].glows ? Vec3f(at + a * p.colour) : Vec3f(at + a * (p.colour - at));
            }
    }
}

} // namespace

Pixels emitterStrip(const Emitter& emitter, int side) {
    const auto levels = static_cast<int>(emitter.levels.size());
    const int width = side * levels;
    const Bounds box = particleBounds(emitter.parts);
    std::vector<Vec3f> picture(static_cast<std::size_t>(width) * static_cast<std::size_t>(side * kMoments),
                               Vec3f(0.05F, 0.06F, 0.055F));
    double longest = 0;
    for (const EmitterPart& part : emitter.parts)
        longest = std::max(longest, part.lifetime.high);
    std::vector<Particle> particles;
    for (int l = 0; l < levels; ++l) {
        const std::vector<EmitterPart> parts = partsAt(emitter, static_cast<std::size_t>(l));
        for (int m = 0; m < kMoments; ++m) {
            particlesAt(parts, emitter.seed, longest + kMomentSeconds * (m + 1), -1e9, 1e9, particles);
            std::stable_sort(particles.begin(), particles.end(),
                             [](const Particle& a, const Particle& b) { return a.place.z() < b.place.z(); });
            draw(parts, particles, box, side, side * l, side * m, width, picture);
        }
    }
    Pixels out;
    out.width = width;
    out.height = side * kMoments;
    out.rgba.reserve(picture.size() * 4);
    for (const Vec3f& c : picture) {
        for (int k = 0; k < 3; ++k)
            out.rgba.push_back(
                static_cast<std::uint8_t>(std::lround(255 * std::pow(std::clamp(c[k], 0.0F, 1.0F), 1 / 2.2F))));
        out.rgba.push_back(255);
    }
    return out;
}

Result<void> shipEmitter(const Scene& scene, const Subject& subject, const fs::path& folder, const std::string& base,
                         const ShipOptions& options, const JobContext& job, ShipReport& report) {
    const EmitterBody& body = *subject.emitter();
    if (!options.chainJson)
        return {};
    if (job.cancelled())
        return cancelledError();
    Emitter out = body.emitter;
    for (std::size_t p = 0; p < out.parts.size(); ++p) {
        if (!body.sprites[p])
            continue;
        const fs::path file = folder / fmt::format("{}.{}{}", base, fileNameFor(out.parts[p].name),
                                                   body.sprites[p]->mimeType == "image/png" ? ".png" : ".jpg");
        if (auto done = writeFile(file, body.sprites[p]->encoded); !done)
            return done;
        out.parts[p].sprite = fs::absolute(file).lexically_normal();
        report.files.push_back({file, body.sprites[p]->encoded.size(), false});
    }
    const fs::path compact = folder / (base + kEmitterSuffix);
    const std::string text = encodeEmitterFile(subject.name, out, EmitterText::Compact, folder);
    if (auto done = writeTextFile(compact, text); !done)
        return done;
    const auto back = readEmitterFile(compact);
    if (!back)
        return back.error();
    if (back->emitter != out)
        return differs(compact);
    report.files.push_back({compact, text.size(), true});

    const View view = scene.statedView();
    const ResolvedChain chain = emitterChain(subject, view);
    ordered_json levels = json::parse(encodeEmitterFile(subject.name, out, EmitterText::Resolved, folder));
    levels["checkSeconds"] = subject.rule.checkSeconds;
    levels["hysteresis"] = subject.rule.hysteresis;
    levels["reachMetres"] = subject.rule.reachMetres;
    for (std::size_t l = 0; l < out.levels.size(); ++l) {
        const EmitterForecast forecast = forecastOf(partsAt(out, l));
        ordered_json& level = levels["levels"][l];
        level["fromMetres"] = chain.fromMetres[l];
        level["forecast"] = {{"live", forecast.live},
                             {"worst", forecast.worst},
                             {"discSquareMetres", forecast.area},
                             {"bytes", forecast.bytes()}};
    }
    const fs::path resolved = folder / (base + ".levels.json");
    const std::string all = json::text(levels, 2) + "\n";
    if (auto done = writeTextFile(resolved, all); !done)
        return done;
    const auto again = readTextFile(resolved);
    if (!again || *again != all)
        return differs(resolved);
    report.files.push_back({resolved, all.size(), true});

    constexpr int kSide = 160;
    const Pixels strip = emitterStrip(out, kSide);
    const Image image = encodePng(strip, "strip");
    const fs::path picture = folder / (base + ".strip.png");
    if (auto done = writeFile(picture, image.encoded); !done)
        return done;
    const auto pixels = decodeImage(image);
    if (!pixels || pixels->rgba != strip.rgba)
        return differs(picture);
    report.files.push_back({picture, image.encoded.size(), true});
    return {};
}

} // namespace thicket
