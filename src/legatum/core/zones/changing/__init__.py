"""What turns a zone into another one: an amendment, a publication, a worksheet, a template, another name."""
