#include "io/ship/ship_emitter.h"

#include "base/file.h"
#include "emitters/emitter_look.h"
#include "image/image.h"
#include "io/json/emitter_json.h"
#include "io/project/emitter_file.h"
#include "io/ship/read_back.h"
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

} // namespace

namespace {

/// Draws a level at a moment into a square of a picture.
void drawMoment(const Emitter& emitter, std::size_t level, int moment, int side, int left, int top, Pixels& out) {
    const Bounds box = seenBounds(emitter.parts, emitter.seed);
    const double metre = side / std::max({box.size().x(), box.size().y(), 1e-6});
    double longest = 0;
    for (const EmitterPart& part : emitter.parts)
        longest = std::max(longest, part.lifetime.high);
    const std::size_t pixels = static_cast<std::size_t>(side) * static_cast<std::size_t>(side);
    EmitterPicture picture;
    picture.width = picture.height = side;
    picture.colour.assign(pixels, Vec3f(0.05F, 0.06F, 0.055F));
    picture.cover.assign(pixels, 0);
    const std::vector<EmitterPart> parts = partsAt(emitter, level);
    std::vector<Particle> particles;
    particlesAt(parts, emitter.seed, longest + kMomentSeconds * (moment + 1), -1e9, 1e9, particles);
    drawParticles(parts, std::move(particles), box.centre(), metre, picture);
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            const Vec3f& c = picture.colour[static_cast<std::size_t>(y * side + x)];
            std::uint8_t* to = out.at(left + x, top + y);
            for (int k = 0; k < 3; ++k)
                to[k] = static_cast<std::uint8_t>(std::lround(255 * std::pow(std::clamp(c[k], 0.0F, 1.0F), 1 / 2.2F)));
            to[3] = 255;
        }
}

Pixels blank(int width, int height) {
    Pixels out;
    out.width = width;
    out.height = height;
    out.rgba.resize(std::size_t{4} * static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
    return out;
}

} // namespace

Pixels emitterPicture(const Emitter& emitter, std::size_t level, int side) {
    Pixels out = blank(side, side);
    drawMoment(emitter, level, 0, side, 0, 0, out);
    return out;
}

Pixels emitterStrip(const Emitter& emitter, int side) {
    const auto levels = static_cast<int>(emitter.levels.size());
    Pixels out = blank(side * levels, side * kMoments);
    for (int l = 0; l < levels; ++l)
        for (int m = 0; m < kMoments; ++m)
            drawMoment(emitter, static_cast<std::size_t>(l), m, side, side * l, side * m, out);
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
        return readBackDiffers(compact, "it differs");
    report.files.push_back({compact, text.size(), true});

    const View view = scene.statedView();
    const ResolvedChain chain = emitterChain(subject, view);
    const auto pops = emitterPops(out, chain.fromMetres, view, job);
    if (!pops)
        return pops.error();
    ordered_json levels = json::parse(encodeEmitterFile(subject.name, out, EmitterText::Resolved, folder));
    levels["checkSeconds"] = subject.rule.checkSeconds;
    levels["hysteresis"] = subject.rule.hysteresis;
    levels["reachMetres"] = subject.rule.reachMetres;
    for (std::size_t l = 0; l < out.levels.size(); ++l) {
        const EmitterForecast forecast = forecastOf(partsAt(out, l));
        ordered_json& level = levels["levels"][l];
        level["fromMetres"] = chain.fromMetres[l];
        if (l > 0)
            level["switch"] = {{"coverBeforePx", (*pops)[l - 1].coverBefore},
                               {"coverAfterPx", (*pops)[l - 1].coverAfter},
                               {"deltaE", (*pops)[l - 1].deltaE}};
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
        return readBackDiffers(resolved, "it differs");
    report.files.push_back({resolved, all.size(), true});

    constexpr int kSide = 160;
    const Pixels strip = emitterStrip(out, kSide);
    const Image image = encodePng(strip, "strip");
    const fs::path picture = folder / (base + ".strip.png");
    if (auto done = writeFile(picture, image.encoded); !done)
        return done;
    const auto pixels = decodeImage(image);
    if (!pixels || pixels->rgba != strip.rgba)
        return readBackDiffers(picture, "it differs");
    report.files.push_back({picture, image.encoded.size(), true});
    return {};
}

} // namespace thicket
