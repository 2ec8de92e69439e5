#pragma once
// Particles on the graphics card: soft discs and sprites that face the camera, blended from the farthest on.

#include "mesh/mesh.h"

#include <QMatrix4x4>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <map>
#include <memory>

namespace thicket::app {

/// As they are drawn, sorted: place in the world, size across, colour as it is shown, opacity below 0: it adds light.
struct ParticleDot {
    float x, y, z, size;
    float red, green, blue, opacity;
    bool operator==(const ParticleDot&) const = default;
};
/// Dots that follow each other with one sprite.
struct ParticleGroup {
    std::uint32_t first = 0;
    std::uint32_t count = 0;
    std::shared_ptr<const Image> sprite; ///< null: a soft disc
    bool operator==(const ParticleGroup&) const = default;
};
struct ParticleDraw {
    std::vector<ParticleDot> dots;
    std::vector<ParticleGroup> groups;
    std::vector<std::uint32_t> owners; ///< one a dot: the subject that gave it off
    bool operator==(const ParticleDraw&) const = default;
};

/// REQUIRES a current OpenGL 3.3 core context for every call.
class GlParticles : protected QOpenGLFunctions_3_3_Core {
public:
    bool initialize();
    void release();
    void forget();
    struct How {
        QMatrix4x4 viewProjection;
        QVector3D eye;
        QVector4D tint; ///< w: how much of it
    };
    void draw(const ParticleDraw& what, const How& how);

private:
    GLuint sprite(const std::shared_ptr<const Image>& image);
    struct Sprite {
        std::weak_ptr<const Image> owner;
        GLuint texture = 0;
    };
    QOpenGLShaderProgram m_program;
    std::map<const Image*, Sprite> m_sprites;
    GLuint m_vao = 0;
    GLuint m_buffer = 0;
};

} // namespace thicket::app
