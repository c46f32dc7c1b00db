// Depth of field in the view: the mean of pictures from places on the lens.
#pragma once
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <memory>

#include "base/vec.h"

namespace ovrix::app {

/// Pictures are added one by one, so that each may wait for what the artist does; their mean, by linear
/// light, is shown in between. In the current context.
class LensBlur : protected QOpenGLFunctions_3_3_Core {
  public:
    static constexpr int kPlaces = 48;
    /// Throws Error where the platform cannot do it.
    void initialise();
    /// What is seen is another.
    void restart() { count_ = 0; }
    bool finished() const { return count_ == kPlaces; }
    /// Where on the iris the next picture is taken from, 0 to 1 both; the first from its middle.
    V2f place() const;
    /// Takes the picture that was drawn into a framebuffer of that size, and draws the mean there. One of
    /// another size begins anew.
    void add(GLuint framebuffer, const QSize& size);
    /// Draws the mean of what was added.
    void show(GLuint framebuffer, const QSize& size);

  private:
    void pass(GLuint texture, GLuint to, const QSize& size, float scale, float power);

    QOpenGLShaderProgram program_;
    QOpenGLVertexArrayObject none_;
    std::unique_ptr<QOpenGLFramebufferObject> one_, sum_;
    int count_ = 0;
};

}  // namespace ovrix::app
