"""How the network behind the second look is taught: pictures of made-up products with exact truth, and the teaching itself.

Not a part of the application; `./yard teach` runs it. The product only reads the file that comes of it.
"""
