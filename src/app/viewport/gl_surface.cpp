#include "app/viewport/gl_surface.h"

#include "app/look/look.h"
#include "app/viewport/gl_scene.h"

#include <cmath>

namespace thicket::app {
namespace {

const char* kSurfaceVertex = R"(#version 330 core
layout(location=0) in vec3 position;
layout(location=1) in vec3 normal;
layout(location=2) in vec2 uv;
layout(location=3) in float value;
layout(location=4) in vec4 row0;
layout(location=5) in vec4 row1;
layout(location=6) in vec4 row2;
layout(location=7) in vec2 coarser;
layout(location=8) in vec3 tint;
uniform mat4 uViewProjection; uniform float uMorph; uniform vec4 uMorphEdges;
out vec3 vWorld; out vec3 vNormal; out vec2 vUv; out float vValue; out vec3 vColor;
void main() {
  float on = coarser.y < 0.5 ? uMorph : uMorphEdges[int(coarser.y) - 1];
  vec4 p = vec4(position + vec3(0.0, coarser.x * on, 0.0), 1.0);
  vColor = tint;
  vWorld = vec3(dot(row0, p), dot(row1, p), dot(row2, p));
  vNormal = vec3(dot(row0.xyz, normal), dot(row1.xyz, normal), dot(row2.xyz, normal)); vUv = uv; vValue = value;
  gl_Position = uViewProjection * vec4(vWorld, 1.0);
})";

// Squares and roots stand in for the usual power of 2.2: software rendering pays for every power.
// An ordered 4 x 4 dither in screen space: a level and the one it fades from keep complementary pixels.
const char* kSurfaceFragment = R"(
in vec3 vWorld; in vec3 vNormal; in vec2 vUv; in float vValue; in vec3 vColor;
uniform vec4 uBase; uniform sampler2D uTexture;
uniform vec4 uTint; uniform float uFade, uCutoff; uniform vec3 uEye;
uniform float uHaze; uniform vec3 uHazeColor;
uniform float uValueScale; uniform vec3 uHeat[5]; uniform vec3 uCare; uniform vec3 uOver;
out vec4 color;
#ifdef FADES
const float bayer[16] = float[](0.,8.,2.,10.,12.,4.,14.,6.,3.,11.,1.,9.,15.,7.,13.,5.);
#endif
void main() {
#ifdef FADES
  float cell = (bayer[int(mod(gl_FragCoord.y,4.))*4 + int(mod(gl_FragCoord.x,4.))] + 0.5) / 16.0;
  if (uFade >= 0.0 ? cell > uFade : cell <= -uFade) discard;
#endif
#ifdef FLAT
  color = uBase;
#else
  vec4 base = uBase * vec4(vColor, 1.0);
#ifdef TEXTURED
  vec4 t = texture(uTexture, vUv);
  base *= vec4(t.rgb * t.rgb, t.a);
#endif
#ifdef CUTS
  if (base.a < uCutoff) discard;
#endif
  vec3 away = uEye - vWorld;
  vec3 toEye = normalize(away);
  // The face turned to the eye decides the side, not the vertex normal: at grazing angles that may lean away.
  vec3 face = cross(dFdx(vWorld), dFdy(vWorld));
  if (dot(face, toEye) < 0.0) face = -face;
#ifdef NORMALS
  vec3 n = normalize(vNormal);
  if (dot(n, face) < 0.0) n = -n;
#else
  vec3 n = normalize(face);
#endif
  base.rgb = mix(base.rgb, uTint.rgb * 0.72, uTint.a);
#ifdef HEATS
  float at = clamp(vValue * uValueScale, 0.0, 1.0) * 4.0;
  int i = min(int(at), 3);
  base.rgb = mix(uHeat[i], uHeat[i + 1], at - float(i)) * 0.8;
  if (vValue * uValueScale > 1.01) base.rgb = uOver; // beyond the scale
#endif
#ifdef CARES
  base.rgb = mix(base.rgb, uCare, 0.75 * clamp(vValue * uValueScale, 0.0, 1.0));
#endif
  const vec3 sun = vec3(0.458088, 0.814379, 0.356291);
  vec3 light = mix(vec3(0.17,0.16,0.14), vec3(0.36,0.39,0.42), 0.5 + 0.5*n.y) + vec3(0.95,0.92,0.84)*max(dot(n, sun), 0.0);
  vec3 h = normalize(sun + toEye);
  float s = max(dot(n, h), 0.0);
  s *= s; s *= s; s *= s;
  vec3 lit = sqrt(base.rgb * light + vec3(0.10) * s * s * s);
#ifdef HAZES
  lit = mix(uHazeColor, lit, 1.0 / (1.0 + dot(away, away) * uHaze * uHaze));
#endif
  color = vec4(lit, 1.0);
#endif
})";

} // namespace

bool GlSurface::initialize() {
    // Every word is in one of these: what a driver does not take is known before anything is drawn.
    for (const unsigned does : {Normals | Hazes, Normals | Textured | Hazes, Normals | Textured | Hazes | Cuts | Fades,
                                Normals | Heats, Normals | Cares, unsigned{Flat}})
        if (formOf(does) == nullptr)
            return false;
    return true;
}

GlSurface::Form* GlSurface::formOf(unsigned does) {
    const auto found = m_forms.find(does);
    if (found != m_forms.end())
        return found->second.get();
    struct Word {
        unsigned bit;
        const char* text;
    };
    static constexpr Word kWords[] = {{Fades, "FADES"}, {Cuts, "CUTS"},   {Textured, "TEXTURED"}, {Normals, "NORMALS"},
                                      {Heats, "HEATS"}, {Cares, "CARES"}, {Hazes, "HAZES"},       {Flat, "FLAT"}};
    QByteArray fragment("#version 330 core\n");
    for (const Word& word : kWords)
        if ((does & word.bit) != 0)
            fragment += QByteArray("#define ") + word.text + "\n";
    fragment += kSurfaceFragment;
    auto form = std::make_unique<Form>();
    QOpenGLShaderProgram& program = form->program;
    if (!program.addShaderFromSourceCode(QOpenGLShader::Vertex, kSurfaceVertex) ||
        !program.addShaderFromSourceCode(QOpenGLShader::Fragment, fragment) || !program.link())
        return nullptr;
    form->viewProjection = program.uniformLocation("uViewProjection");
    form->eye = program.uniformLocation("uEye");
    form->tint = program.uniformLocation("uTint");
    form->fade = program.uniformLocation("uFade");
    form->haze = program.uniformLocation("uHaze");
    form->valueScale = program.uniformLocation("uValueScale");
    form->morph = program.uniformLocation("uMorph");
    form->morphEdges = program.uniformLocation("uMorphEdges");
    form->base = program.uniformLocation("uBase");
    form->cutoff = program.uniformLocation("uCutoff");
    program.bind();
    program.setUniformValue("uTexture", 0);
    const auto squared = [](const QColor& c) {
        return QVector3D(std::pow(static_cast<float>(c.redF()), 2.0F), std::pow(static_cast<float>(c.greenF()), 2.0F),
                         std::pow(static_cast<float>(c.blueF()), 2.0F));
    };
    if ((does & Heats) != 0) {
        for (int i = 0; i < 5; ++i)
            program.setUniformValue(QByteArray("uHeat[" + QByteArray::number(i) + "]").constData(),
                                    squared(GlScene::heatColor(i / 4.0)));
        program.setUniformValue("uOver", squared(Look::now().over));
    }
    if ((does & Cares) != 0)
        program.setUniformValue("uCare", squared(Look::now().accent));
    if ((does & Hazes) != 0)
        program.setUniformValue("uHazeColor", GlScene::hazeColor());
    return m_forms.emplace(does, std::move(form)).first->second.get();
}

void GlSurface::begin(const Item& item) {
    m_item = item;
    m_begun = nullptr;
}

void GlSurface::use(unsigned does, const QVector4D& base, float cutoff) {
    Form* form = formOf((m_item.does & ((does & Flat) != 0 ? Fades : ~0U)) | does);
    if (form == nullptr)
        return;
    QOpenGLShaderProgram& program = form->program;
    program.bind();
    if (form != m_begun) {
        m_begun = form;
        program.setUniformValue(form->viewProjection, m_item.viewProjection);
        program.setUniformValue(form->eye, m_item.eye);
        program.setUniformValue(form->tint, m_item.tint);
        program.setUniformValue(form->fade, m_item.fade);
        program.setUniformValue(form->haze, m_item.haze);
        program.setUniformValue(form->valueScale, m_item.valueScale);
        program.setUniformValue(form->morph, m_item.morph);
        program.setUniformValue(form->morphEdges, m_item.morphEdges);
    }
    program.setUniformValue(form->base, base);
    program.setUniformValue(form->cutoff, cutoff);
}

} // namespace thicket::app
