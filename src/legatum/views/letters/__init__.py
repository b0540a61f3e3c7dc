"""What customers read: letters as HTML, Markdown or plain text, in the house's words. All wording stands in the folders
beside."""
