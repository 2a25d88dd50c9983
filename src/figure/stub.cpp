namespace quill {}
