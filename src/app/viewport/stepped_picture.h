#pragma once
// A picture that comes about piece by piece, so that the window answers meanwhile.

#include "app/viewport/gl_scene.h"

namespace thicket::app {

/// What is to be drawn, and how far that is.
class SteppedPicture {
public:
    /// Whether this is the picture that is being drawn, or stands.
    [[nodiscard]] bool isOf(const std::vector<DrawItem>& items, const QMatrix4x4& matrix, Shading shading) const {
        return m_valid && m_matrix == matrix && m_shading == shading && m_items == items;
    }
    void begin(std::vector<DrawItem> items, const QMatrix4x4& matrix, const QVector3D& eye, Shading shading) {
        m_items = std::move(items);
        m_matrix = matrix;
        m_eye = eye;
        m_shading = shading;
        m_next = 0;
        m_from = 0;
        m_done = false;
        m_valid = true;
    }
    /// The same from the beginning.
    void again() {
        m_next = 0;
        m_from = 0;
        m_done = false;
    }
    /// Whatever comes to rest next is drawn anew.
    void forget() {
        m_valid = false;
        m_done = false;
    }
    [[nodiscard]] bool done() const { return m_done; }
    /// It was begun, and neither done nor forgotten since.
    [[nodiscard]] bool making() const { return m_valid && !m_done; }
    [[nodiscard]] bool valid() const { return m_valid; }
    [[nodiscard]] const QMatrix4x4& matrix() const { return m_matrix; }
    [[nodiscard]] Shading shading() const { return m_shading; }

    /// Draws the next piece, of about so many triangles at most, by `draw(item, from, most)`, which returns where to go on, 0 at the end of the item; after
    /// the last item `finish()`.
    /// REQUIRES   !done().
    template <class Draw, class Finish> void step(const Draw& draw, std::uint64_t triangles, const Finish& finish) {
        if (m_next == m_items.size()) {
            finish();
            m_done = true;
            return;
        }
        m_from = draw(m_items[m_next], m_eye, m_from, triangles);
        m_next += m_from == 0 ? 1 : 0;
    }

private:
    std::vector<DrawItem> m_items;
    QMatrix4x4 m_matrix;
    QVector3D m_eye;
    Shading m_shading = Shading::Shaded;
    std::size_t m_next = 0;   ///< the item that is drawn next
    std::uint64_t m_from = 0; ///< and from where
    bool m_done = false;
    bool m_valid = false;
};

} // namespace thicket::app
