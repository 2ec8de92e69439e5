#include "app/viewport/gl_particles.h"

#include <QImage>

namespace thicket::app {
namespace {

const char* kVertex = R"(#version 330 core
layout(location=0) in vec4 place; layout(location=1) in vec4 tint;
uniform mat4 uViewProjection; uniform vec3 uEye;
out vec2 vAt; out vec4 vTint;
void main() {
  vAt = vec2(float(gl_VertexID & 1), float(gl_VertexID >> 1)) * 2.0 - 1.0;
  vTint = tint;
  vec3 toEye = uEye - place.xyz;
  vec3 across = normalize(cross(vec3(0.0, 1.0, 0.0), toEye) + vec3(1e-6, 0.0, 0.0));
  vec3 up = normalize(cross(toEye, across));
  gl_Position = uViewProjection * vec4(place.xyz + 0.5 * place.w * (vAt.x * across + vAt.y * up), 1.0);
})";

// Premultiplied: what covers and what adds light are blended the same way.
const char* kFragment = R"(#version 330 core
in vec2 vAt; in vec4 vTint;
uniform sampler2D uSprite; uniform bool uHasSprite; uniform vec4 uShade;
out vec4 color;
void main() {
  vec4 own = vec4(1.0);
  if (uHasSprite) own = texture(uSprite, vec2(0.5 + 0.5 * vAt.x, 0.5 - 0.5 * vAt.y));
  else {
    float r = dot(vAt, vAt);
    if (r >= 1.0) discard;
    own.a = (1.0 - r) * (1.0 - r);
  }
  vec3 c = mix(own.rgb * vTint.rgb, uShade.rgb, uShade.a);
  float a = abs(vTint.a) * own.a;
  color = vec4(c * a, vTint.a < 0.0 ? 0.0 : a);
})";

} // namespace

bool GlParticles::initialize() {
    if (!initializeOpenGLFunctions() || !m_program.addShaderFromSourceCode(QOpenGLShader::Vertex, kVertex) ||
        !m_program.addShaderFromSourceCode(QOpenGLShader::Fragment, kFragment) || !m_program.link())
        return false;
    glGenVertexArrays(1, &m_vao);
    glGenBuffers(1, &m_buffer);
    glBindVertexArray(m_vao);
    glBindBuffer(GL_ARRAY_BUFFER, m_buffer);
    for (GLuint slot = 0; slot < 2; ++slot) {
        glEnableVertexAttribArray(slot);
        glVertexAttribPointer(slot, 4, GL_FLOAT, GL_FALSE, sizeof(ParticleDot),
                              reinterpret_cast<const void*>(slot * 4 * sizeof(float)));
        glVertexAttribDivisor(slot, 1);
    }
    glBindVertexArray(0);
    return true;
}

void GlParticles::release() {
    for (auto& [key, entry] : m_sprites)
        glDeleteTextures(1, &entry.texture);
    m_sprites.clear();
    glDeleteBuffers(1, &m_buffer);
    glDeleteVertexArrays(1, &m_vao);
}

void GlParticles::forget() {
    std::erase_if(m_sprites, [this](auto& entry) {
        if (!entry.second.owner.expired())
            return false;
        glDeleteTextures(1, &entry.second.texture);
        return true;
    });
}

GLuint GlParticles::sprite(const std::shared_ptr<const Image>& image) {
    Sprite& own = m_sprites[image.get()];
    if (own.texture != 0 && !own.owner.expired())
        return own.texture;
    own.owner = image;
    const QImage picture =
        QImage::fromData(reinterpret_cast<const uchar*>(image->encoded.data()), static_cast<int>(image->encoded.size()))
            .convertToFormat(QImage::Format_RGBA8888);
    if (own.texture == 0)
        glGenTextures(1, &own.texture);
    glBindTexture(GL_TEXTURE_2D, own.texture);
    glTexImage2D(GL_TEXTURE_2D, 0, GL_RGBA8, picture.width(), picture.height(), 0, GL_RGBA, GL_UNSIGNED_BYTE,
                 picture.constBits());
    glGenerateMipmap(GL_TEXTURE_2D);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR_MIPMAP_LINEAR);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_S, GL_CLAMP_TO_EDGE);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_T, GL_CLAMP_TO_EDGE);
    return own.texture;
}

void GlParticles::draw(const ParticleDraw& what, const How& how) {
    m_program.bind();
    m_program.setUniformValue("uViewProjection", how.viewProjection);
    m_program.setUniformValue("uEye", how.eye);
    m_program.setUniformValue("uShade", how.tint);
    m_program.setUniformValue("uSprite", 0);
    glBindVertexArray(m_vao);
    glBindBuffer(GL_ARRAY_BUFFER, m_buffer);
    glEnable(GL_BLEND);
    // The picture stays opaque, whatever is laid over it.
    glBlendFuncSeparate(GL_ONE, GL_ONE_MINUS_SRC_ALPHA, GL_ZERO, GL_ONE);
    glDepthMask(GL_FALSE);
    glActiveTexture(GL_TEXTURE0);
    for (const ParticleGroup& group : what.groups) {
        m_program.setUniformValue("uHasSprite", group.sprite != nullptr);
        glBindTexture(GL_TEXTURE_2D, group.sprite ? sprite(group.sprite) : 0);
        glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(group.count * sizeof(ParticleDot)),
                     &what.dots[group.first], GL_STREAM_DRAW);
        glDrawArraysInstanced(GL_TRIANGLE_STRIP, 0, 4, static_cast<GLsizei>(group.count));
    }
    glDepthMask(GL_TRUE);
    glDisable(GL_BLEND);
}

} // namespace thicket::app
