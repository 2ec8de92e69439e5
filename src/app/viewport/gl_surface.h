#pragma once
// The shader of surfaces, in as many forms as are drawn: each does what its item needs and nothing else. Software
// rendering pays for all branches of a shader in every pixel, and one that may leave a pixel out is run before it is
// known whether something nearer stands there.

#include <QMatrix4x4>
#include <QOpenGLShaderProgram>
#include <map>
#include <memory>

namespace thicket::app {

class GlSurface {
public:
    /// What a form does, a bit each.
    enum Does : unsigned {
        Fades = 1,    ///< leaves out pixels of an ordered dither
        Cuts = 2,     ///< leaves out what is less opaque than its material says
        Textured = 4, ///< multiplies by its picture
        Normals = 8,  ///< is lit by normals of its own, not by those of its faces
        Heats = 16,   ///< shows its values as colours of heat
        Cares = 32,   ///< shows its values as care
        Hazes = 64,   ///< fades into the sky
        Flat = 128    ///< one colour, without light
    };
    /// What all draws of an item have in common.
    struct Item {
        QMatrix4x4 viewProjection;
        QVector3D eye;
        QVector4D tint; ///< w: how much of it
        float fade = 1;
        float haze = 0; ///< 1 / metres
        float valueScale = 1;
        float morph = 0;
        QVector4D morphEdges;
        unsigned does = 0; ///< Fades, Normals, Heats, Cares and Hazes, as it needs
    };

    /// REQUIRES a current OpenGL 3.3 core context for every call.
    bool initialize();
    void release() { m_forms.clear(); }
    void begin(const Item& item);
    /// Binds the form that also does this: Cuts, Textured, Flat.
    void use(unsigned does, const QVector4D& base, float cutoff);

private:
    struct Form {
        QOpenGLShaderProgram program;
        int viewProjection = -1, eye = -1, tint = -1, fade = -1, haze = -1, valueScale = -1, morph = -1,
            morphEdges = -1, base = -1, cutoff = -1;
    };
    Form* formOf(unsigned does);

    std::map<unsigned, std::unique_ptr<Form>> m_forms;
    Item m_item;
    const Form* m_begun = nullptr; ///< has what m_item says
};

} // namespace thicket::app
