"""From pictures of targets to readings.

``setups`` reads and checks a set-up's file, ``plates`` says where dots and markers stand on a target, ``detect`` finds them in
a picture, ``lens`` projects points, ``poses`` places one target in front of one camera, ``model`` says where every dot is
for given wheels, paths and angles, ``start`` finds first values, ``bundle`` adjusts all of it to all dots, ``doubts`` tests
what may have gone wrong, ``sentences`` says it, and ``readings`` makes readings with one covariance. OpenCV is loaded by
``detect`` and ``poses`` alone, and so only where there are pictures.
"""
