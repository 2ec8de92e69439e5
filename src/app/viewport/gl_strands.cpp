#include "app/viewport/gl_strands.h"

#include "app/viewport/to_qt.h"

#include <algorithm>

namespace thicket::app {
namespace {

// The curves are those of switching/thinning: the share that is kept, how wide the kept ones grow, and the smooth step
// by which those beyond the share lose their width.
const char* kStrandHead = R"(#version 330 core
uniform samplerBuffer uPoints, uMiddles;
uniform usamplerBuffer uFirst, uSlots, uListed;
uniform int uBase; uniform bool uHasList;
uniform mat4 uViewProjection; uniform vec3 uEye, uDecided;
uniform float uPixels; // of a metre at one metre
uniform float uCount, uKeepFactor, uGrowAtMost, uBand, uVary; uniform bool uThins, uHolds;
uniform int uKeepPoints, uGrowPoints; uniform vec2 uKeep[12]; uniform vec2 uGrow[12];
uniform vec3 uRoot, uTip;
out vec3 vColor; out vec3 vTangent; out vec3 vPlace; out float vOpacity; flat out float vPhase;
float along(float d, int count, vec2 curve[12]) {
  if (count == 0) return 1.0;
  if (d <= curve[0].x) return curve[0].y;
  for (int i = 1; i < count; ++i)
    if (d < curve[i].x) return mix(curve[i-1].y, curve[i].y, (d - curve[i-1].x) / (curve[i].x - curve[i-1].x));
  return curve[count - 1].y;
}
float stepArea(float t) { return t * t * t * (1.0 - 0.5 * t); }
// Of what all of them cover, so much is left where a share is kept.
float coverOf(float keep) {
  float band = keep * uBand;
  float lacking = band > 0.0 ? clamp((keep + band - 1.0) / band, 0.0, 1.0) : 0.0;
  return min(keep, 1.0) + band * (0.5 - stepArea(lacking));
}
float held(float keep) { float cover = coverOf(keep); return cover * uGrowAtMost <= 1.0 ? uGrowAtMost : 1.0 / cover; }
float sizeInBand(float keep, float rank) {
  float band = keep * uBand;
  return rank < keep ? 1.0 : band > 0.0 ? smoothstep(0.0, 1.0, (keep + band - rank) / band) : 0.0;
}
uint hash(uint v) { v ^= v >> 16; v *= 0x7feb352du; v ^= v >> 15; v *= 0x846ca68bu; v ^= v >> 16; return v; }
int slotHere() { return int(uHasList ? texelFetch(uListed, uBase + gl_InstanceID).r : uint(uBase + gl_InstanceID)); }
float keptAt(int slot) { return along(distance(texelFetch(uMiddles, slot).xyz, uDecided), uKeepPoints, uKeep); }
)";

const char* kStrandVertex = R"(
void main() {
  int slot = slotHere();
  int strand = int(texelFetch(uSlots, slot).r);
  int first = int(texelFetch(uFirst, strand).r);
  int count = int(texelFetch(uFirst, strand + 1).r) - first;
  int i = min(gl_VertexID >> 1, count - 1);
  vec4 here = texelFetch(uPoints, first + i);
  vec3 tangent = texelFetch(uPoints, first + min(i + 1, count - 1)).xyz - texelFetch(uPoints, first + max(i - 1, 0)).xyz;
  float wide = here.w;
  if (uThins) {
    float keep = keptAt(slot);
    float grow = uHolds ? held(keep) : along(distance(texelFetch(uMiddles, slot).xyz, uDecided), uGrowPoints, uGrow);
    wide *= sizeInBand(keep, (float(strand) + 0.5) / uCount) * grow / uKeepFactor;
  }
  vec3 toEye = uEye - here.xyz;
  float away = length(toEye);
  float pixels = wide * uPixels / away;
  vOpacity = min(pixels, 1.0);
  if (pixels < 1.0) wide = away / uPixels;
  vec3 across = cross(tangent, toEye);
  across *= inversesqrt(max(dot(across, across), 1e-20));
  vPlace = here.xyz + across * (wide * (float(gl_VertexID & 1) - 0.5));
  vTangent = tangent;
  uint h = hash(uint(strand));
  float light = 1.0 + uVary * (2.0 * float(h) / 4294967296.0 - 1.0);
  vColor = mix(uRoot, uTip, float(i) / float(max(count - 1, 1))) * light;
  vPhase = float(h & 1023u) / 1024.0;
  gl_Position = uViewProjection * vec4(vPlace, 1.0);
})";

// A card turns about the axis of its tuft. Half of them show the picture mirrored.
const char* kStrandCardVertex = R"(
uniform samplerBuffer uStands; // axis and size of each
uniform vec3 uCard; // half its width, where it begins and where it ends along the axis
uniform float uShare;
out vec2 vUv;
void main() {
  int slot = slotHere();
  int strand = int(texelFetch(uSlots, slot).r);
  int first = int(texelFetch(uFirst, strand).r);
  vec3 root = texelFetch(uPoints, first).xyz;
  vec4 stand = texelFetch(uStands, strand);
  vec3 axis = stand.xyz;
  float size = stand.w;
  float wide = uCard.x * size;
  if (uThins) {
    float keep = keptAt(slot);
    float kept = keep / uShare;
    wide *= sizeInBand(keep, (float(strand) + 0.5) / uCount) * (uHolds && kept < 1.0 ? held(kept) : 1.0)
            / clamp(uKeepFactor * kept, 0.25, 1.0);
  }
  vec3 toEye = uEye - root;
  float away = length(toEye);
  float pixels = 2.0 * wide * uPixels / away;
  vOpacity = min(pixels, 1.0);
  if (pixels < 1.0) wide = 0.5 * away / uPixels;
  vec3 across = cross(axis, toEye);
  across *= inversesqrt(max(dot(across, across), 1e-20));
  float u = float(gl_VertexID & 1);
  float v = float(gl_VertexID >> 1);
  vPlace = root + axis * (mix(uCard.y, uCard.z, v) * size) + across * (wide * (2.0 * u - 1.0));
  vTangent = axis;
  uint h = hash(uint(strand));
  vUv = vec2((h & 1u) == 0u ? u : 1.0 - u, v);
  vColor = vec3(1.0 + uVary * (2.0 * float(h) / 4294967296.0 - 1.0));
  vPhase = float(h & 1023u) / 1024.0;
  gl_Position = uViewProjection * vec4(vPlace, 1.0);
})";

// Below a pixel the opacity falls: a share of the pixels is drawn, another one for each strand, so that strands over
// each other cover as many layers do.
const char* kStrandFragment = R"(
in vec3 vColor; in vec3 vTangent; in vec3 vPlace; in float vOpacity; flat in float vPhase;
uniform vec3 uEye; uniform float uHaze; uniform vec3 uHazeColor; uniform vec4 uTint; uniform float uFade;
#ifdef CARDS
in vec2 vUv; uniform sampler2D uPicture; uniform vec3 uRoot, uTip;
#endif
out vec4 color;
const float bayer[16] = float[](0.,8.,2.,10.,12.,4.,14.,6.,3.,11.,1.,9.,15.,7.,13.,5.);
void main() {
  if (uFade < 1.0) {
    float cell = (bayer[int(mod(gl_FragCoord.y,4.))*4 + int(mod(gl_FragCoord.x,4.))] + 0.5) / 16.0;
    if (uFade >= 0.0 ? cell > uFade : cell <= -uFade) discard;
  }
  float opacity = vOpacity;
  vec3 own = vColor;
#ifdef CARDS
  vec2 there = texture(uPicture, vUv).rg;
  opacity *= there.g;
  own *= mix(uRoot, uTip, there.r / max(there.g, 0.002));
#endif
  if (opacity < 1.0) {
    float noise = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))) + vPhase);
    if (noise >= opacity) discard;
  }
  vec3 sun = normalize(vec3(0.45, 0.8, 0.35));
  vec3 t = normalize(vTangent);
  float ts = dot(t, sun);
  float light = 0.42 + 0.75 * sqrt(max(1.0 - ts * ts, 0.0));
  vec3 base = mix(own, uTint.rgb * 0.72, uTint.a);
  vec3 lit = sqrt(base * light);
  if (uHaze > 0.0) {
    float thick = length(uEye - vPlace) * uHaze;
    lit = mix(uHazeColor, lit, 1.0 / (1.0 + thick * thick));
  }
  color = vec4(lit, 1.0);
})";

constexpr int kPointsUnit = 1;
constexpr int kMiddlesUnit = 2;
constexpr int kFirstUnit = 3;
constexpr int kSlotsUnit = 4;
constexpr int kListedUnit = 5;
constexpr int kStandsUnit = 6;
constexpr int kLong = 600; // frames that a level's points are kept without being drawn

} // namespace

bool GlStrands::initialize() {
    if (!initializeOpenGLFunctions())
        return false;
    const auto build = [](QOpenGLShaderProgram& program, const char* vertex, const char* head) {
        if (!program.addShaderFromSourceCode(QOpenGLShader::Vertex, QByteArray(kStrandHead) + vertex) ||
            !program.addShaderFromSourceCode(QOpenGLShader::Fragment, QByteArray(head) + kStrandFragment) ||
            !program.link())
            return false;
        program.bind();
        program.setUniformValue("uPoints", kPointsUnit);
        program.setUniformValue("uMiddles", kMiddlesUnit);
        program.setUniformValue("uFirst", kFirstUnit);
        program.setUniformValue("uSlots", kSlotsUnit);
        program.setUniformValue("uListed", kListedUnit);
        program.release();
        return true;
    };
    if (!build(m_lines, kStrandVertex, "#version 330 core\n") ||
        !build(m_byCards, kStrandCardVertex, "#version 330 core\n#define CARDS\n"))
        return false;
    m_byCards.bind();
    m_byCards.setUniformValue("uPicture", 0);
    m_byCards.setUniformValue("uStands", kStandsUnit);
    m_byCards.release();
    glGenVertexArrays(1, &m_vao);
    const std::uint32_t none = 0;
    m_listed = make(&none, sizeof none, GL_R32UI);
    return true;
}

GlStrands::Buffer GlStrands::make(const void* data, std::size_t bytes, GLenum format) {
    Buffer out;
    glGenBuffers(1, &out.buffer);
    glBindBuffer(GL_TEXTURE_BUFFER, out.buffer);
    glBufferData(GL_TEXTURE_BUFFER, static_cast<GLsizeiptr>(bytes), data, GL_STATIC_DRAW);
    glGenTextures(1, &out.texture);
    glBindTexture(GL_TEXTURE_BUFFER, out.texture);
    glTexBuffer(GL_TEXTURE_BUFFER, format, out.buffer);
    return out;
}

void GlStrands::drop(const Buffer& buffer) {
    glDeleteTextures(1, &buffer.texture);
    glDeleteBuffers(1, &buffer.buffer);
}

void GlStrands::release() {
    for (auto& [key, level] : m_levels) {
        drop(level.points);
        drop(level.first);
    }
    for (auto& [key, places] : m_places) {
        drop(places.order);
        drop(places.middles);
    }
    for (auto& [key, cards] : m_cards) {
        glDeleteTextures(1, &cards.picture);
        drop(cards.stands);
    }
    m_cards.clear();
    m_levels.clear();
    m_places.clear();
    drop(m_listed);
    glDeleteVertexArrays(1, &m_vao);
}

void GlStrands::forget() {
    // A level that was given another deviation leaves its points behind, though its strands are still there.
    for (auto& [key, level] : m_levels)
        ++level.frames;
    std::erase_if(m_levels, [this](const auto& entry) {
        if (!entry.second.owner.expired() && entry.second.frames < kLong)
            return false;
        drop(entry.second.points);
        drop(entry.second.first);
        return true;
    });
    std::erase_if(m_cards, [this](auto& entry) {
        if (!entry.second.owner.expired())
            return false;
        glDeleteTextures(1, &entry.second.picture);
        drop(entry.second.stands);
        return true;
    });
    std::erase_if(m_places, [this](auto& entry) {
        if (!entry.second.owner.expired())
            return false;
        drop(entry.second.order);
        drop(entry.second.middles);
        return true;
    });
}

GlStrands::Level& GlStrands::levelOf(const StrandDraw& what) {
    Level& level = m_levels[{what.set.get(), what.deviation}];
    level.frames = 0;
    if (level.points.buffer != 0 && !level.owner.expired())
        return level;
    if (level.points.buffer != 0) {
        drop(level.points);
        drop(level.first);
    }
    level.owner = what.set;
    level.most = 2;
    const StrandSet& set = *what.set;
    std::vector<float> points;
    std::vector<std::uint32_t> first{0};
    first.reserve(set.first.size());
    for (std::size_t s = 0; s < set.size(); ++s) {
        eachKept(set, *what.worth, s, static_cast<float>(what.deviation), [&](std::uint32_t i) {
            points.insert(points.end(), {set.points[i].x(), set.points[i].y(), set.points[i].z(), set.widths[i]});
        });
        first.push_back(static_cast<std::uint32_t>(points.size() / 4));
        level.most = std::max(level.most, first[s + 1] - first[s]);
    }
    level.points = make(points.data(), points.size() * sizeof(float), GL_RGBA32F);
    level.first = make(first.data(), first.size() * sizeof(std::uint32_t), GL_R32UI);
    return level;
}

GlStrands::Places& GlStrands::placesOf(const StrandDraw& what, const std::shared_ptr<const CellTable>& cells) {
    Places& places = m_places[cells.get()];
    if (places.order.buffer != 0 && !places.owner.expired())
        return places;
    if (places.order.buffer != 0) {
        drop(places.order);
        drop(places.middles);
    }
    places.owner = cells;
    std::vector<float> middles;
    middles.reserve(4 * cells->size());
    for (std::uint32_t slot = 0; slot < cells->size(); ++slot) {
        const Vec3f at = (cells->at(slot).position - what.set->origin).cast<float>();
        middles.insert(middles.end(), {at.x(), at.y(), at.z(), 0});
    }
    places.order = make(cells->placementOf.data(), cells->placementOf.size() * sizeof(std::uint32_t), GL_R32UI);
    places.middles = make(middles.data(), middles.size() * sizeof(float), GL_RGBA32F);
    return places;
}

/// Red is where along a strand a pixel is, times green, which is whether there is one.
const GlStrands::Cards& GlStrands::cardsOf(const std::shared_ptr<const StrandCards>& cards) {
    Cards& gpu = m_cards[cards.get()];
    if (gpu.picture != 0 && !gpu.owner.expired())
        return gpu;
    if (gpu.picture != 0) {
        glDeleteTextures(1, &gpu.picture);
        drop(gpu.stands);
    }
    gpu.owner = cards;
    glGenTextures(1, &gpu.picture);
    static_assert(sizeof(StrandCards::Stand) == 4 * sizeof(float));
    gpu.stands = make(cards->stands.data(), cards->stands.size() * sizeof(StrandCards::Stand), GL_RGBA32F);
    std::vector<std::uint8_t> pixels;
    pixels.reserve(2 * cards->picture.size());
    for (const std::uint8_t at : cards->picture) {
        pixels.push_back(at == 0 ? 0 : static_cast<std::uint8_t>(at - 1));
        pixels.push_back(at == 0 ? 0 : 255);
    }
    glBindTexture(GL_TEXTURE_2D, gpu.picture);
    glPixelStorei(GL_UNPACK_ALIGNMENT, 1);
    glTexImage2D(GL_TEXTURE_2D, 0, GL_RG8, cards->width, cards->height, 0, GL_RG, GL_UNSIGNED_BYTE, pixels.data());
    glPixelStorei(GL_UNPACK_ALIGNMENT, 4);
    glGenerateMipmap(GL_TEXTURE_2D);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR_MIPMAP_LINEAR);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_S, GL_CLAMP_TO_EDGE);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_T, GL_CLAMP_TO_EDGE);
    return gpu;
}

void GlStrands::draw(const StrandDraw& what, const std::shared_ptr<const CellTable>& cells, std::uint32_t first,
                     std::uint32_t count, const std::vector<std::uint32_t>& listed, const How& how) {
    const Level& level = levelOf(what);
    const Places& places = placesOf(what, cells);
    if (!listed.empty()) {
        glBindBuffer(GL_TEXTURE_BUFFER, m_listed.buffer);
        glBufferData(GL_TEXTURE_BUFFER, static_cast<GLsizeiptr>(count * sizeof(std::uint32_t)), &listed[first],
                     GL_STREAM_DRAW);
    }
    const auto bind = [this](int unit, const Buffer& buffer) {
        glActiveTexture(GL_TEXTURE0 + static_cast<GLenum>(unit));
        glBindTexture(GL_TEXTURE_BUFFER, buffer.texture);
    };
    bind(kPointsUnit, level.points);
    bind(kMiddlesUnit, places.middles);
    bind(kFirstUnit, level.first);
    bind(kSlotsUnit, places.order);
    bind(kListedUnit, m_listed);
    glActiveTexture(GL_TEXTURE0);
    QOpenGLShaderProgram& program = what.cards ? m_byCards : m_lines;
    program.bind();
    QMatrix4x4 matrix = how.viewProjection;
    matrix.translate(toQt(what.set->origin));
    program.setUniformValue("uViewProjection", matrix);
    program.setUniformValue("uEye", toQt(how.eye - what.set->origin));
    program.setUniformValue("uDecided", toQt(what.decidedFrom - what.set->origin));
    program.setUniformValue("uPixels", static_cast<float>(how.lines / (2 * what.halfFieldTangent)));
    program.setUniformValue("uBase", listed.empty() ? static_cast<int>(first) : 0);
    program.setUniformValue("uHasList", !listed.empty());
    program.setUniformValue("uThins", what.thins);
    program.setUniformValue("uHolds", what.thinning.holdCover);
    program.setUniformValue("uCount", static_cast<float>(what.set->size()));
    program.setUniformValue("uKeepFactor", static_cast<float>(what.keepFactor));
    program.setUniformValue("uGrowAtMost", static_cast<float>(what.thinning.growAtMost));
    program.setUniformValue("uBand", static_cast<float>(what.thinning.band));
    program.setUniformValue("uVary", static_cast<float>(what.look.vary));
    const auto curve = [&program](const char* points, const char* number, const DistanceCurve& of) {
        std::array<QVector2D, DistanceCurve::kMostPoints> values{};
        for (std::size_t i = 0; i < of.points.size(); ++i)
            values[i] = {static_cast<float>(of.points[i].metres), static_cast<float>(of.points[i].value)};
        program.setUniformValueArray(points, values.data(), static_cast<int>(values.size()));
        program.setUniformValue(number, static_cast<int>(of.points.size()));
    };
    curve("uKeep", "uKeepPoints", what.thinning.keep);
    curve("uGrow", "uGrowPoints", what.thinning.grow);
    program.setUniformValue("uRoot", QVector3D(what.look.root.x(), what.look.root.y(), what.look.root.z()));
    program.setUniformValue("uTip", QVector3D(what.look.tip.x(), what.look.tip.y(), what.look.tip.z()));
    program.setUniformValue("uHaze", how.haze);
    program.setUniformValue("uHazeColor", how.hazeColor);
    program.setUniformValue("uTint", how.tint);
    program.setUniformValue("uFade", how.fade);
    if (what.cards) {
        const Cards& cards = cardsOf(what.cards);
        bind(kStandsUnit, cards.stands);
        glActiveTexture(GL_TEXTURE0);
        glBindTexture(GL_TEXTURE_2D, cards.picture);
        program.setUniformValue("uCard", QVector3D(what.cards->half, what.cards->low, what.cards->high));
        program.setUniformValue("uShare",
                                static_cast<float>(what.cards->count()) / static_cast<float>(what.set->size()));
    }
    glBindVertexArray(m_vao);
    glDrawArraysInstanced(GL_TRIANGLE_STRIP, 0, static_cast<GLsizei>(2 * level.most), static_cast<GLsizei>(count));
}

} // namespace thicket::app
